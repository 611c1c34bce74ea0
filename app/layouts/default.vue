<script setup lang="ts">
import { useDebounceFn, useEventListener } from '@vueuse/core'
const session = useSession()
const route = useRoute()
const { toggle } = useTheme()
const tasks = useTasks()
tasks.follow()
void tasks.load()
useChanges(() => session.refresh())

const numbers = computed(() => session.shell?.counts ?? {})
const tabs = computed(() => [
  { to: '/', label: 'Register', number: numbers.value['apis'] },
  { to: '/tasks', label: 'For you', number: tasks.items?.length, hot: true },
  { to: '/rulebook', label: 'Rulebook', number: numbers.value['rules'] },
  {
    to: '/findings',
    label: 'Findings',
    number: numbers.value['findings'],
    hot: true,
    says: 'at MUST',
  },
  { to: '/drift', label: 'Drift', number: numbers.value['drift'], hot: true },
  { to: '/promotions', label: 'Promotions', number: numbers.value['promotions'] },
  { head: 'Runtime' },
  { to: '/gateways', label: 'Gateways', number: numbers.value['gateways'] },
  { to: '/traffic', label: 'Traffic' },
  { to: '/policies', label: 'Policies' },
  { to: '/rollouts', label: 'Rollouts' },
  { to: '/desk', label: 'Request desk' },
  { head: 'Record' },
  { to: '/ledger', label: 'Ledger' },
  ...(session.person?.role === 'administrator'
    ? [{ to: '/administration', label: 'Administration' }]
    : []),
])
const isOn = (to: string) =>
  to === '/'
    ? ['/', '/bring-in', '/find'].includes(route.path) || /^\/(apis|batches)\//.test(route.path)
    : route.path.startsWith(to)

const search = ref<HTMLInputElement>()
/** The pages whose list follows what is typed; from anywhere, Enter looks into everything. */
const follows = (path: unknown) => path === '/' || path === '/find'
const words = ref(follows(route.path) ? String(route.query['q'] ?? '') : '')
function look(path: string) {
  const here = route.path === path
  const query = { ...(here && route.query), q: words.value || undefined }
  return navigateTo({ path, query }, { replace: here })
}
const typed = useDebounceFn(() => {
  if (follows(route.path)) void look(route.path)
}, 150)
const find = () => look('/find')
watch([() => route.path, () => route.query['q']], ([path, q]) => {
  if (document.activeElement !== search.value || !follows(path) || !q)
    words.value = follows(path) ? String(q ?? '') : ''
})

const help = ref(false)
/** Where there is no room for the tabs, they are a menu. */
const menu = ref(false)
watch(
  () => route.fullPath,
  () => (menu.value = false),
)
function onKey(event: KeyboardEvent) {
  if (isTyping(event.target)) return
  if (event.key === '/') {
    event.preventDefault()
    search.value?.focus()
  } else if (event.key === '?') help.value = true
  else if (event.key === 'Escape') menu.value = false
}
useEventListener(window, 'keydown', onKey)

async function leave() {
  await session.signOut()
  await navigateTo('/sign-in')
}
</script>

<template>
  <div class="board">
    <header>
      <button class="menu ghost" :aria-expanded="menu" aria-controls="tabs" @click="menu = !menu">
        Menu
      </button>
      <NuxtLink to="/" class="brand">
        <LeafMark />
        Elm Ledger
      </NuxtLink>
      <label class="search">
        <span class="sr">Find an API, operation, schema or tag</span>
        <input
          ref="search"
          v-model="words"
          type="search"
          placeholder="Find an API, operation, schema or tag"
          @input="typed()"
          @keydown.enter="find()"
        />
        <kbd>/</kbd>
      </label>
      <div class="who">
        <span class="soft">{{ session.shell?.organisation }} ·</span>
        <NuxtLink to="/tokens" title="Your access tokens"
          ><b>{{ session.person?.displayName }}, {{ session.person?.role }}</b></NuxtLink
        >
        <button class="plain quiet" @click="toggle()">Light or dark</button>
        <button class="plain quiet" @click="leave()">Sign out</button>
      </div>
    </header>
    <nav id="tabs" aria-label="Main" :class="{ opened: menu }">
      <template v-for="tab in tabs" :key="tab.label ?? tab.head">
        <h6 v-if="tab.head">{{ tab.head }}</h6>
        <NuxtLink
          v-else
          :to="tab.to"
          :class="{ on: isOn(tab.to!) }"
          :aria-current="isOn(tab.to!) ? 'page' : undefined"
        >
          {{ tab.label }}
          <span
            v-if="tab.number !== undefined"
            :class="{ hot: tab.hot && tab.number > 0, zero: tab.number === 0 }"
            :title="tab.says"
            >{{ figure(tab.number) }}</span
          >
        </NuxtLink>
      </template>
      <button class="keys" @click="help = true">Keys <kbd>?</kbd></button>
    </nav>
    <slot />
    <Dialog v-model:visible="help" header="Keys" modal dismissable-mask>
      <dl class="key-list">
        <dt><kbd>/</kbd></dt>
        <dd>filter the list; <kbd>Enter</kbd> looks into every definition</dd>
        <dt><kbd>j</kbd> <kbd>k</kbd></dt>
        <dd>next and previous row</dd>
        <dt><kbd>Enter</kbd></dt>
        <dd>open the selected row</dd>
        <dt><kbd>m</kbd></dt>
        <dd>go to the margin</dd>
        <dt><kbd>F8</kbd></dt>
        <dd>in a source: the next finding; with <kbd>Shift</kbd> the one before</dd>
        <dt><kbd>Ctrl</kbd> <kbd>.</kbd></dt>
        <dd>in a source: fix the finding of this line</dd>
        <dt><kbd>Ctrl</kbd> <kbd>Space</kbd></dt>
        <dd>in a source: what may be written here</dd>
        <dt><kbd>?</kbd></dt>
        <dd>this list</dd>
      </dl>
    </Dialog>
  </div>
</template>

<style scoped>
.board {
  display: grid;
  grid-template-columns: 148px minmax(0, 1fr);
  grid-template-rows: 52px minmax(0, 1fr);
  height: 100vh;
  overflow: hidden;
}
header {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 20px 0 22px;
}
.brand {
  font: 600 19px var(--title);
  letter-spacing: -0.01em;
  display: flex;
  gap: 9px;
  align-items: center;
  white-space: nowrap;
}
.search {
  flex: 0 1 420px;
  margin-left: 42px;
  background: var(--paper);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 0 10px 0 12px;
  display: flex;
  align-items: center;
  gap: 8px;
}
.search:focus-within {
  border-color: var(--elm);
}
.search input {
  flex: 1;
  border: 0;
  background: none;
  outline: none;
  font: inherit;
  color: var(--ink);
  padding: 6px 0;
  min-width: 0;
}
.search input::placeholder {
  color: var(--soft);
}
kbd {
  font: 11px var(--mono);
  background: var(--faint);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 4px;
  color: var(--soft);
}
.who {
  margin-left: auto;
  display: flex;
  gap: 6px;
  align-items: baseline;
  white-space: nowrap;
}
.who b {
  font-weight: 600;
}
.quiet {
  color: var(--soft);
  font-weight: 500;
  margin-left: 8px;
}
.quiet:hover {
  color: var(--ink);
}
nav {
  padding: 6px 0 0 12px;
  display: flex;
  flex-direction: column;
  gap: 3px;
  min-height: 0;
}
nav a {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 7px 12px;
  border-radius: 7px 0 0 7px;
  font-weight: 500;
}
nav a:hover {
  background: color-mix(in srgb, var(--page) 45%, transparent);
}
nav a.on {
  background: var(--page);
  font-weight: 650;
  box-shadow:
    -1px 1px 0 var(--rule),
    -1px -1px 0 var(--rule);
}
nav a span {
  font: 11px var(--mono);
  color: var(--soft);
}
nav a span.hot {
  color: var(--copper);
  font-weight: 700;
}
nav a span.zero {
  opacity: 0.6;
}
nav h6 {
  margin: 14px 12px 3px;
  font: 600 10.5px var(--body);
  color: var(--soft);
  letter-spacing: 0.02em;
}
.keys {
  margin: auto 12px 14px;
  text-align: left;
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
  padding: 0;
}
.key-list {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 6px 12px;
  margin: 0;
}
.key-list dd {
  margin: 0;
}
.menu {
  display: none;
}
@media (max-width: 1099px) {
  .search {
    margin-left: 0;
  }
}
@media (max-width: 799px) {
  .board {
    grid-template-columns: minmax(0, 1fr);
  }
  header {
    gap: 10px;
    padding: 0 12px;
  }
  .menu {
    display: block;
  }
  .brand {
    font-size: 0;
    gap: 0;
  }
  .who > .soft {
    display: none;
  }
  nav {
    display: none;
    position: absolute;
    top: 52px;
    left: 0;
    bottom: 0;
    width: 220px;
    z-index: 5;
    background: var(--board);
    border-right: 1px solid var(--rule);
    overflow: auto;
  }
  nav.opened {
    display: flex;
  }
}
</style>
