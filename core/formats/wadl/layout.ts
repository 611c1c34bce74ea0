import { xmlLayout, type Layout } from '../layout-model'
import { intoWadl } from './insert'

export const wadlLayout: Layout = {
  ...xmlLayout,
  insert: (text, _syntax, draft) => intoWadl(text, draft),
}
