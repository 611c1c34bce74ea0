/** The version of the HTTP API. */
export const apiVersion = '1.0.0'
