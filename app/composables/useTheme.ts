type Theme = 'system' | 'light' | 'dark'

const key = 'elm-theme'
const chosen = ref<Theme>('system')
const systemDark = () => window.matchMedia('(prefers-color-scheme: dark)')

function apply() {
  const dark = chosen.value === 'dark' || (chosen.value === 'system' && systemDark().matches)
  document.documentElement.dataset['theme'] = dark ? 'dark' : 'light'
}

/** Light or dark: the system's choice until the person makes one. */
export function useTheme() {
  const start = () => {
    chosen.value = (localStorage.getItem(key) as Theme | null) ?? 'system'
    systemDark().addEventListener('change', apply)
    apply()
  }
  const toggle = () => {
    chosen.value = document.documentElement.dataset['theme'] === 'dark' ? 'light' : 'dark'
    localStorage.setItem(key, chosen.value)
    apply()
  }
  return { chosen, start, toggle }
}
