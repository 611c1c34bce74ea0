import { definePreset } from '@primeuix/themes'
import Aura from '@primeuix/themes/aura'

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

export const elmPreset = definePreset(Aura, {
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
