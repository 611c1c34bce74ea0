import { fileURLToPath } from 'node:url'

/** What every page needs, in one file each for what is ours and what is not: every small file costs a request. */
const vendor =
  /node_modules\/(?:@?vue|vue-router|pinia|@pinia|primevue|@primevue|@primeuix|date-fns|idb-keyval|ofetch|unhead|@unhead|hookable|defu|ufo|destr|cookie-es|klona|radix3)\//
const ours =
  /\/(?:app\/(?:composables\/use(?:Act|Changes|Filters|Keys|Load|Repeating|Rows|Theme|Tokens)|utils\/(?:api|choices|rollouts|runs|words)|stores\/|components\/(?:ApiHead|Counts|Cover|DifferenceBox|Filter|Gates|Leaf|Leaves|LongText|Mark|RegisterMargin|RolloutSteps|RunBar|Ticks|TrendLine|Trouble))|shared\/)/

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
    // The theme is made by the components while they run, and is code: written into every page and its configuration
    // it would be most of it.
    loadStyles: false,
    importTheme: {
      as: 'elmTheme',
      from: fileURLToPath(new URL('app/theme/preset.ts', import.meta.url)),
    },
    components: {
      include: [
        'Button',
        'Dialog',
        'InputText',
        'MultiSelect',
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
    compressPublicAssets: { gzip: true, brotli: true },
    // The public page of a rulebook is made by the server, and names its fonts itself.
    publicAssets: ['literata', 'public-sans', 'jetbrains-mono'].map((font) => ({
      dir: fileURLToPath(
        new URL(`node_modules/@fontsource-variable/${font}/files`, import.meta.url),
      ),
      baseURL: `fonts/${font}`,
      maxAge: 31_536_000,
    })),
  },
  experimental: { defaults: { nuxtLink: { prefetch: false } } },
  vite: {
    worker: { format: 'es' },
    // Many small files cost a request each: what is small goes with what loads it.
    build: {
      cssCodeSplit: false,
      rollupOptions: {
        output: {
          manualChunks: (id) => (vendor.test(id) ? 'vendor' : ours.test(id) ? 'ours' : undefined),
        },
      },
    },
  },
})
