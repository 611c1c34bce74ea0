/** Whether a word is a time zone of the IANA database, by the name that it has there. */
export const isTimeZone = (name: string): boolean =>
  name === 'UTC' || Intl.supportedValuesOf('timeZone').includes(name)
