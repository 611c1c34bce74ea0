import { signOnReturn } from '../../http/sign-on'
import { serving } from '../../utils/serving'

export default signOnReturn(serving)
