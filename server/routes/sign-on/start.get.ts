import { signOnStart } from '../../http/sign-on'
import { serving } from '../../utils/serving'

export default signOnStart(serving)
