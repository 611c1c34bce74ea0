import { usePreferredDark, useStorage } from '@vueuse/core'

type Theme = 'system' | 'light' | 'dark'

/** Light or dark: the system's choice until the person makes one. */
export function useTheme() {
  const chosen = useStorage<Theme>('elm-theme', 'system')
  const isSystemDark = usePreferredDark()
  const isDark = computed(() =>
    chosen.value === 'system' ? isSystemDark.value : chosen.value === 'dark',
  )
  const start = () =>
    watch(isDark, (dark) => (document.documentElement.dataset['theme'] = dark ? 'dark' : 'light'), {
      immediate: true,
    })
  const toggle = () => (chosen.value = isDark.value ? 'light' : 'dark')
  return { chosen, isDark, start, toggle }
}
