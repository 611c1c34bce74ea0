import { elmPreset } from './app/theme/preset'

export default defineNuxtConfig({
  compatibilityDate: '2026-11-01',
  telemetry: false,
  sourcemap: false,
  devtools: { enabled: false },
  modules: ['@pinia/nuxt', '@primevue/nuxt-module'],
  routeRules: {
    '/**': { ssr: false },
  },
  css: [
    '@fontsource-variable/literata/wght.css',
    '@fontsource-variable/public-sans/wght.css',
    '@fontsource-variable/jetbrains-mono/wght.css',
    '~/assets/ledger.css',
  ],
  app: {
    head: {
      title: 'Elm Ledger',
      htmlAttrs: { lang: 'en' },
      link: [{ rel: 'icon', type: 'image/svg+xml', href: '/leaf.svg' }],
    },
  },
  primevue: {
    options: {
      theme: {
        preset: elmPreset,
        options: { darkModeSelector: '[data-theme="dark"]', cssLayer: false },
      },
    },
    components: {
      include: [
        'Button',
        'Dialog',
        'InputText',
        'InputNumber',
        'Select',
        'Textarea',
        'ToggleSwitch',
        'VirtualScroller',
      ],
    },
  },
  typescript: {
    strict: true,
    tsConfig: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: false } },
  },
  nitro: {
    preset: 'node-server',
    esbuild: {
      options: {
        target: 'node20',
        tsconfigRaw: {
          compilerOptions: { experimentalDecorators: true, useDefineForClassFields: false },
        },
      },
    },
    externals: { external: ['piscina'] },
    moduleSideEffects: ['reflect-metadata'],
  },
  vite: { worker: { format: 'es' } },
})
