import { signInWaysAnswer } from '../../http/sign-on'
import { serving } from '../../utils/serving'

export default signInWaysAnswer(serving)
