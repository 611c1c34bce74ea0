import { metricsHandler } from '../http/metrics'
import { serving } from '../utils/serving'

export default metricsHandler(serving, process.env['ELM_METRICS_TOKEN'] ?? '')
