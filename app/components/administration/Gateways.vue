<script setup lang="ts">
import type { Audience } from '~~/shared/words'
import { audiences } from '~~/shared/words'
import { gatewayKindNames, gatewayKinds, type GatewayKindName } from '~~/core/runtime/gateway-kinds'
import type { GatewayTest } from '~~/shared/api/administration'
import type { GatewayItem, GroupItem } from '~~/shared/api/gateways'

/** Gateways and the groups they belong to. */
defineProps<{ gateways: GatewayItem[]; groups: GroupItem[] }>()
const { busy, refusal, act } = useAct()

const group = reactive({ name: '', serves: '', audiences: ['partner'] as Audience[] })
const keepGroup = () => {
  const { name, ...body } = group
  return act(() => api.updateGatewayGroup({ group: name }, body))
}
const gateway = reactive({
  name: '',
  group: '',
  kind: 'admin-api' as GatewayKindName,
  serves: '',
  dataUrl: '',
  tlsUrl: '',
  adminUrl: '',
  folder: '',
})
const body = computed(() => {
  const { name: _, ...rest } = gateway
  return rest
})
const tested = ref<GatewayTest>()
const test = async () => {
  tested.value = await act(() => api.testGateway({}, body.value))
}
const keepGateway = () => act(() => api.updateGateway({ gateway: gateway.name }, body.value))
/** The secret of one gateway, shown until another one is. */
const shown = ref<{ gateway: string; secret: string }>()
const showSecret = async (name: string) => {
  const read = await act(() => api.readGatewaySecret({ gateway: name }))
  if (read) shown.value = { gateway: name, secret: read.secret }
}
const removeGateway = (name: string) => act(() => api.removeGateway({ gateway: name }))
const edit = ({ name, group: of, kind, serves, dataUrl, tlsUrl, folder }: GatewayItem) =>
  Object.assign(gateway, { name, group: of, kind, serves, dataUrl, tlsUrl, folder })
</script>

<template>
  <div>
    <Trouble :refusal="refusal" />
    <table class="ruled">
      <thead>
        <tr>
          <th>Gateway</th>
          <th>Group</th>
          <th>Kind</th>
          <th>Traffic URL</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in gateways" :key="item.name">
          <td>
            <button class="plain" @click="edit(item)">{{ item.name }}</button>
            <div class="soft small">{{ item.serves }}</div>
          </td>
          <td>{{ item.group }}</td>
          <td>{{ gatewayKinds[item.kind].title }}</td>
          <td class="mono small">{{ item.dataUrl || item.folder || '–' }}</td>
          <td class="acts">
            <button
              v-if="item.kind === 'admin-api'"
              class="plain"
              :disabled="busy"
              @click="showSecret(item.name)"
            >
              Show secret
            </button>
            <button class="plain" :disabled="busy" @click="removeGateway(item.name)">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="shown" role="status">
      Secret of {{ shown.gateway }}: <code class="mono">{{ shown.secret }}</code>. It is valid for
      its current admin address only; the ledger records who read it.
    </p>
    <h3>Add or change a gateway</h3>
    <form class="narrow" @submit.prevent="keepGateway()">
      <label class="field"><span>Name</span><InputText v-model="gateway.name" /></label>
      <label class="field"
        ><span>Group</span
        ><select v-model="gateway.group">
          <option v-for="item in groups" :key="item.name">{{ item.name }}</option>
        </select></label
      >
      <label class="field"
        ><span>Kind</span
        ><select v-model="gateway.kind">
          <option v-for="kind in gatewayKindNames" :key="kind" :value="kind">
            {{ gatewayKinds[kind].title }}
          </option>
        </select></label
      >
      <p class="soft small">{{ gatewayKinds[gateway.kind].says }}</p>
      <label class="field"><span>What it serves</span><InputText v-model="gateway.serves" /></label>
      <label class="field"
        ><span>Traffic URL</span
        ><InputText v-model="gateway.dataUrl" placeholder="https://gateway.example.org"
      /></label>
      <label class="field"
        ><span>TLS URL, where it speaks TLS</span
        ><InputText v-model="gateway.tlsUrl" placeholder="https://gateway.example.org"
      /></label>
      <label v-if="gateway.kind === 'files'" class="field"
        ><span>Folder or git repository, below the folder of gateways</span
        ><InputText v-model="gateway.folder" placeholder="treatment-works"
      /></label>
      <label v-if="gateway.kind === 'admin-api'" class="field"
        ><span>Admin API</span
        ><InputText v-model="gateway.adminUrl" placeholder="https://gateway.example.org:8443"
      /></label>
      <p v-if="tested" :class="tested.answers ? 'good' : 'trouble'" role="status">
        {{ tested.says }}, {{ tested.ms }} ms
      </p>
      <div class="bar">
        <button
          type="button"
          class="ghost"
          :disabled="busy || !(gateway.adminUrl || gateway.folder)"
          @click="test()"
        >
          Test the connection
        </button>
        <button class="fill" :disabled="busy || !gateway.name || !gateway.group">Save</button>
      </div>
    </form>
    <h3>
      Groups <small>{{ groups.length }}</small>
    </h3>
    <p class="soft">What is placed on a group runs on all its gateways.</p>
    <table class="ruled">
      <tbody>
        <tr v-for="item in groups" :key="item.name">
          <td>
            <b>{{ item.name }}</b>
          </td>
          <td>{{ item.serves }}</td>
          <td>{{ item.members.join(', ') || 'no gateway yet' }}</td>
        </tr>
      </tbody>
    </table>
    <form class="bar" @submit.prevent="keepGroup()">
      <InputText v-model="group.name" placeholder="edge" aria-label="Name of the group" />
      <InputText
        v-model="group.serves"
        placeholder="Public traffic"
        aria-label="What the group serves"
      />
      <label v-for="audience in audiences" :key="audience" class="tick"
        ><input v-model="group.audiences" type="checkbox" :value="audience" /> {{ audience }}</label
      >
      <button class="ghost" :disabled="busy || !group.name">Set the group</button>
    </form>
  </div>
</template>

<style scoped>
.acts {
  text-align: right;
}
.acts > * + * {
  margin-left: 14px;
}
.narrow {
  max-width: 480px;
}
.tick {
  margin-right: 10px;
  white-space: nowrap;
}
table + .bar {
  margin-top: 10px;
}
</style>
