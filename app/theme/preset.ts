import { definePreset } from '@primeuix/themes'
import base from '@primeuix/themes/aura/base'
import button from '@primeuix/themes/aura/button'
import checkbox from '@primeuix/themes/aura/checkbox'
import chip from '@primeuix/themes/aura/chip'
import dialog from '@primeuix/themes/aura/dialog'
import iconfield from '@primeuix/themes/aura/iconfield'
import inputnumber from '@primeuix/themes/aura/inputnumber'
import inputtext from '@primeuix/themes/aura/inputtext'
import multiselect from '@primeuix/themes/aura/multiselect'
import ripple from '@primeuix/themes/aura/ripple'
import select from '@primeuix/themes/aura/select'
import textarea from '@primeuix/themes/aura/textarea'
import toggleswitch from '@primeuix/themes/aura/toggleswitch'
import tooltip from '@primeuix/themes/aura/tooltip'
import virtualscroller from '@primeuix/themes/aura/virtualscroller'

/** What the components that are used begin from; all of them would be half of what every page loads. */
const begun = {
  ...base,
  components: {
    ...{ button, checkbox, chip, dialog, iconfield, inputnumber, inputtext, multiselect },
    ...{ ripple, select, textarea, toggleswitch, tooltip, virtualscroller },
  },
}

/** PrimeVue in the ledger's own colours; the tokens themselves are CSS variables, so that dark needs no second preset. */
const shades = Object.fromEntries(
  [50, 100, 200, 300, 400, 500, 600, 700, 800, 900, 950].map((step) => [step, 'var(--elm)']),
)

const scheme = {
  primary: {
    color: 'var(--elm)',
    contrastColor: 'var(--on-elm)',
    hoverColor: 'var(--elm-deep)',
    activeColor: 'var(--elm-deep)',
  },
  highlight: {
    background: 'var(--elm-wash)',
    focusBackground: 'var(--elm-wash)',
    color: 'var(--ink)',
    focusColor: 'var(--ink)',
  },
  formField: {
    background: 'var(--paper)',
    disabledBackground: 'var(--faint)',
    borderColor: 'var(--line)',
    hoverBorderColor: 'var(--soft)',
    focusBorderColor: 'var(--elm)',
    invalidBorderColor: 'var(--copper)',
    color: 'var(--ink)',
    placeholderColor: 'var(--soft)',
    shadow: 'none',
  },
  text: {
    color: 'var(--ink)',
    hoverColor: 'var(--ink)',
    mutedColor: 'var(--soft)',
    hoverMutedColor: 'var(--ink)',
  },
  content: {
    background: 'var(--page)',
    hoverBackground: 'var(--faint)',
    borderColor: 'var(--rule)',
    color: 'var(--ink)',
    hoverColor: 'var(--ink)',
  },
  overlay: {
    select: { background: 'var(--page)', borderColor: 'var(--line)', color: 'var(--ink)' },
    popover: { background: 'var(--page)', borderColor: 'var(--line)', color: 'var(--ink)' },
    modal: { background: 'var(--page)', borderColor: 'var(--line)', color: 'var(--ink)' },
  },
  list: {
    option: {
      focusBackground: 'var(--faint)',
      selectedBackground: 'var(--elm-wash)',
      selectedColor: 'var(--ink)',
      color: 'var(--ink)',
      focusColor: 'var(--ink)',
    },
  },
}

const preset = definePreset(begun, {
  primitive: { borderRadius: { sm: '5px', md: '6px', lg: '8px' } },
  semantic: {
    primary: shades,
    transitionDuration: '0.1s',
    formField: {
      paddingX: '0.65rem',
      paddingY: '0.36rem',
      borderRadius: '6px',
      focusRing: { width: '2px', style: 'solid', color: 'var(--elm)', offset: '1px' },
    },
    colorScheme: { light: scheme, dark: scheme },
  },
})

export default {
  preset,
  options: { darkModeSelector: '[data-theme="dark"]', cssLayer: false },
}
