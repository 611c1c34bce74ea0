import { healthHandler } from '../http/health'

export default healthHandler
