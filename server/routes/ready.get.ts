import { readinessHandler } from '../http/health'
import { serving } from '../utils/serving'

export default readinessHandler(serving)
