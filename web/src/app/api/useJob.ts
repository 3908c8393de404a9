import { computed, onScopeDispose, ref } from 'vue'

import { answer, api, type Schema } from './client'

export type Job = Schema['JobOut']

export const OVER = ['done', 'failed', 'stopped']
const FIRST_MS = 80
const SLOWEST_MS = 800

/** One piece of long work at a time: started, followed, stopped. A newer start forgets the older. */
export function useJob<Result>() {
  const job = ref<Job | null>(null)
  const error = ref<Error | null>(null)
  let turn = 0
  let timer = 0

  const running = computed(() => job.value !== null && !OVER.includes(job.value.state))
  const failure = computed(() =>
    job.value?.state === 'failed' ? job.value.progress_text : (job.value?.lost ?? ''),
  )
  /** The result once there is one; also of work that was stopped, as far as it went. */
  const result = computed(() => (job.value?.result ?? null) as Result | null)

  async function start(ask: () => Promise<Job>): Promise<Result | null> {
    const mine = ++turn
    window.clearTimeout(timer)
    error.value = null
    // What the work before it found is no answer to this question.
    job.value = null
    try {
      let found = await ask()
      let pause = FIRST_MS
      while (mine === turn) {
        job.value = found
        if (OVER.includes(found.state))
          return found.state === 'failed' ? null : (found.result as Result | null)
        await new Promise((resolve) => (timer = window.setTimeout(resolve, pause)))
        pause = Math.min(pause * 1.3, SLOWEST_MS)
        if (mine !== turn) return null
        found = answer(await api.GET('/api/jobs/{job_id}', { params: { path: { job_id: found.id } } }))
      }
    } catch (caught) {
      if (mine === turn) error.value = caught as Error
    }
    return null
  }

  async function stop() {
    if (!job.value) return
    try {
      answer(await api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id: job.value.id } } }))
    } catch (caught) {
      error.value = caught as Error
    }
  }

  onScopeDispose(() => {
    turn++
    window.clearTimeout(timer)
  })
  return { job, error, running, failure, result, start, stop }
}
