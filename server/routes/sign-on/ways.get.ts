import { signInWaysHandler } from '../../http/sign-on'
import { serving } from '../../utils/serving'

export default signInWaysHandler(serving)
