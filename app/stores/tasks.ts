import { useThrottleFn } from '@vueuse/core'
import type { TaskItem } from '~~/shared/api/tasks'

/** What is announced where something may have come to wait for somebody, or does not any more. */
const topics = [
  ...['api', 'drift', 'edition', 'finding', 'fix', 'placement', 'promotion', 'proposal'],
  ...['repository', 'request', 'revision', 'rollout', 'task', 'waiver'],
]
/** Working it out costs the server something, and everybody's page asks. In milliseconds. */
const atMostEvery = 3000

/** What waits for whoever is signed in. */
export const useTasks = defineStore('tasks', () => {
  const items = shallowRef<TaskItem[]>()
  const { refusal, act } = useLatest()

  const load = () =>
    act(
      () => api.listTasks({ limit: 500 }),
      (page) => (items.value = page.items),
    )
  const soon = useThrottleFn(load, atMostEvery, true)
  const follow = () => useChanges(soon, topics)

  return { items, refusal, load, follow }
})
