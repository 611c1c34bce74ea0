<script setup lang="ts">
import type { IssuedToken, TokenItem, TokenScope } from '~~/shared/api/tokens'

/** Tokens a person makes for programs: a build that checks definitions, a script that reads the register. */
const { data, refusal, reload } = useLoad(() => api.listTokens(), [])
const tokens = computed(() => data.value?.items ?? [])
const scopes: { value: TokenScope; label: string }[] = [
  { value: 'read', label: 'read the register and the rulebook' },
  { value: 'check', label: 'check texts that are not in the register' },
  { value: 'upload', label: 'upload what a gateway runs that is only read' },
  { value: 'write', label: 'change whatever you may change' },
]
const name = ref('')
const chosen = ref<TokenScope[]>(['read', 'check'])
const until = ref(dayFromNow(90))
const making = useAct()
const issued = ref<IssuedToken>()
const copied = ref(false)
async function make() {
  const made = await making.act(() =>
    api.createToken(
      {},
      {
        name: name.value.trim(),
        scopes: chosen.value,
        until: until.value,
      },
    ),
  )
  if (!made) return
  issued.value = made
  copied.value = false
  name.value = ''
  await reload()
}
async function copy() {
  await navigator.clipboard.writeText(issued.value!.secret)
  copied.value = true
}
const ending = useAct()
async function end(token: TokenItem) {
  await ending.act(() => api.deleteToken({ token: token.token }))
  if (issued.value?.token === token.token) issued.value = undefined
  await reload()
}
const origin = globalThis.location.origin
const today = dayFromNow(0)
</script>

<template>
  <Leaf>
    <h1>Access tokens</h1>
    <p class="sentence">
      {{ count(tokens.length, 'token') }} for programs that act in your name, such as a build that
      runs the command line.
    </p>
    <Trouble :refusal="refusal ?? ending.refusal.value" />
    <section v-if="issued" class="issued" role="status">
      <b>“{{ issued.name }}” is made. Copy it now: it is not kept and cannot be shown again.</b>
      <div class="bar">
        <code>{{ issued.secret }}</code>
        <button class="ghost" @click="copy()">{{ copied ? 'Copied' : 'Copy' }}</button>
      </div>
      <pre tabindex="0">
ELM_LEDGER_TOKEN={{ issued.secret }} elm-ledger lint api.yaml --server {{ origin }}</pre>
    </section>
    <table v-if="tokens.length" class="ruled">
      <thead>
        <tr>
          <th>Token</th>
          <th>May</th>
          <th>Last day</th>
          <th>Used</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="token in tokens" :key="token.token">
          <td>
            {{ token.name }}
            <div class="soft mono small">{{ token.begins }}…</div>
          </td>
          <td>{{ token.scopes.join(', ') }}</td>
          <td class="nowrap" :class="{ 'copper-text': token.until < today }">
            {{ token.until }}<template v-if="token.until < today"> (ended)</template>
          </td>
          <td class="soft">{{ token.usedAt ? ago(token.usedAt) : 'never' }}</td>
          <td class="right">
            <button class="ghost" :disabled="ending.busy.value" @click="end(token)">End it</button>
          </td>
        </tr>
      </tbody>
    </table>
    <template #margin>
      <h2>Make a token</h2>
      <form @submit.prevent="make()">
        <label class="field"
          ><span>What it is for</span
          ><InputText v-model="name" placeholder="Build of the metering services"
        /></label>
        <fieldset>
          <legend>It may</legend>
          <label v-for="scope in scopes" :key="scope.value"
            ><input v-model="chosen" type="checkbox" :value="scope.value" />{{ scope.label }}</label
          >
        </fieldset>
        <label class="field"
          ><span>Its last day</span><input v-model="until" type="date" :min="today"
        /></label>
        <Trouble :refusal="making.refusal.value" />
        <button
          class="fill"
          :disabled="making.busy.value || name.trim().length < 3 || !chosen.length"
        >
          Make it
        </button>
      </form>
      <p class="soft">
        A token never does more than you may do yourself. Who has it acts in your name until its
        last day, so give it to one program only and end it when that program goes.
      </p>
    </template>
  </Leaf>
</template>

<style scoped>
.issued {
  background: var(--elm-wash);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 10px 12px;
  margin-bottom: 14px;
}
.issued code {
  font: 12.5px var(--mono);
  overflow-wrap: anywhere;
}
pre {
  font: 11px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin: 0;
  color: var(--soft);
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 12px;
}
legend {
  padding: 0 0 4px;
}
fieldset label {
  display: flex;
  gap: 7px;
  align-items: center;
  min-height: 26px;
}
</style>
