import type { Rulebook, RulebookDraft } from '~~/shared/api/rules'

/** What is written and not saved yet, with the state it was written on. */
interface Kept {
  text: string
  etag: string
  at: string
}

/**
 * The draft of a rulebook as it is being written: read by a worker on every change, kept in this browser until it is
 * saved, and saved only over the state it was written on.
 */
export function useRulebookDraft(slug: () => string) {
  const house = shallowRef<Rulebook>()
  const draft = shallowRef<RulebookDraft>()
  const etag = ref('')
  const text = ref('')
  const saved = ref('')
  /** What was loaded or written by the form, for an editor that keeps its own text while it is typed into. */
  const shownText = ref('')
  const restored = ref<Kept>()
  const loading = useAct()
  const saving = useAct()
  const { answer, reading, read } = useRulebookText()
  const local = useLocalDraft<Kept>(() => `rulebook:${slug()}`)
  const dirty = computed(() => text.value !== saved.value)
  const unsaved = (): Kept | undefined =>
    dirty.value ? { text: text.value, etag: etag.value, at: new Date().toISOString() } : undefined

  async function load() {
    await loading.act(async () => {
      house.value ??= await api.getRulebook()
      const response = await api.raw.getRulebookDraft({ rulebook: slug() })
      draft.value = await response.json()
      etag.value = stateOf(response)
      saved.value = draft.value.text
      const kept = await local.kept()
      restored.value = kept && kept.text !== saved.value ? kept : undefined
      if (restored.value) etag.value = restored.value.etag
      write(restored.value?.text ?? saved.value, 0)
    })
  }

  /** Takes a text from elsewhere than the editor. */
  function write(now: string, delay?: number) {
    shownText.value = now
    typed(now, delay)
  }
  /** Takes the text as it is in the editor. */
  function typed(now: string, delay?: number) {
    text.value = now
    const base = { domain: house.value?.domain ?? '', words: house.value?.words ?? [] }
    read({ text: now, rule: undefined, base }, delay)
  }

  async function save(): Promise<boolean> {
    const response = await saving.act(() =>
      api.raw.replaceRulebookDraft(
        { rulebook: slug() },
        { text: text.value },
        { ifMatch: etag.value },
      ),
    )
    if (!response) return false
    draft.value = await response.json()
    etag.value = stateOf(response)
    saved.value = text.value
    restored.value = undefined
    await store()
    return true
  }
  /** Publishes the draft as it was saved; answers the number of the edition. */
  async function publish(note: string): Promise<number | undefined> {
    if (dirty.value && !(await save())) return undefined
    const made = await saving.act(() =>
      api.publishEdition({ rulebook: slug() }, { note }, { ifMatch: etag.value }),
    )
    if (!made) return undefined
    house.value = undefined
    await load()
    return made.edition
  }
  async function show(shown: boolean) {
    const result = await saving.act(() => api.updateRulebook({ rulebook: slug() }, { shown }))
    if (result) draft.value = result
  }

  watch(text, () => draft.value && local.keepSoon(unsaved))
  async function store() {
    if (draft.value) await local.keep(unsaved)
  }
  onBeforeRouteLeave(store)
  async function discard() {
    await local.forget()
    saving.refusal.value = undefined
    await load()
  }
  /** Somebody else saved in between; what they saved is the text's older state from then on. */
  async function saveOver(): Promise<boolean> {
    etag.value = stateOf(await api.raw.getRulebookDraft({ rulebook: slug() }))
    return save()
  }

  onMounted(load)
  watch(slug, load)
  return {
    house,
    draft,
    text,
    shownText,
    restored,
    dirty,
    loading,
    saving,
    answer,
    reading,
    write,
    typed,
    save,
    publish,
    show,
    discard,
    saveOver,
  }
}
