<script setup lang="ts">
import { joinDocuments } from '~~/core/text/yaml-stream'
import type { GatewayItem } from '~~/shared/api/gateways'

/** A place to upload what a cluster prints, for a gateway that the ledger cannot reach. */
const { gateway } = defineProps<{ gateway: GatewayItem }>()
const emit = defineEmits<{ taken: [] }>()
const session = useSession()
const mayUpload = computed(() => ['governance', 'operator'].includes(session.person?.role ?? ''))
const origin = useRequestURL().origin
const { busy, refusal, act } = useAct()

const push = (files: NamedFile[]) =>
  act(async () => {
    const texts = await Promise.all(files.map(({ file }) => file.text()))
    await api.uploadSnapshot({ gateway: gateway.name }, { text: joinDocuments(texts) })
    emit('taken')
  })
</script>

<template>
  <section>
    <DropZone v-if="mayUpload" folders @files="push"
      >Drop here what the cluster prints of its gateways and routes, as YAML or JSON</DropZone
    >
    <p v-else class="soft">Uploading what it runs takes the role governance or operator.</p>
    <p v-if="busy" class="soft" role="status">Reading it …</p>
    <Trouble :refusal="refusal" />
    <p class="soft small">
      The same from a terminal:
      <code>elm-ledger snapshot push --gateway {{ gateway.name }} --server {{ origin }} FILE…</code>
    </p>
  </section>
</template>
