import { bodies } from './bodies'
import { compare } from './compare'
import { drift } from './drift'
import { formats } from './formats'
import { gateway } from './gateway'
import { impact } from './impact'
import { lines } from './measure'
import { policies } from './policies'
import { waiting } from './promotions'
import { plans } from './resources'
import { register } from './register'
import { rollouts } from './rollouts'
import { rules } from './rules'
import { searching } from './search'
import { counting, traffic } from './traffic'

/** Each part is measured in a process of its own, so that none pays for what another has left behind. */
const parts: Record<string, () => void | Promise<void>> = {
  formats,
  compare,
  rules,
  search: searching,
  register,
  impact,
  gateway,
  bodies,
  policies,
  rollouts,
  promotions: waiting,
  resources: plans,
  drift,
  traffic,
  // Only ever a part of it.
  counting,
}
const part = parts[process.argv[2] ?? '']
if (!part) throw new Error(`There is ${Object.keys(parts).join(', ')} to measure`)
await part()
console.log(lines.join('\n'))
// What a part has opened ends with it.
process.exit(0)
