import { useQueryClient } from '@tanstack/vue-query'
import { computed, onScopeDispose, reactive, ref, shallowRef, type ShallowRef, toValue, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import type { Build, Figure, Origin } from './useBuild'

/** What somebody has typed into a line and not yet written down. */
export interface Edit {
  text: string
  origin: Origin
  how: string
}

/** For the next stroke of a fast hand; longer and the figures lag behind what is read. */
const PAUSE_MS = 25

/**
 * Edits of one revision that are not kept yet: tried out on the server while they are typed, written down one by one
 * where the revision is open, or saved together as a new one.
 */
export function useDraft(build: () => Build) {
  const queries = useQueryClient()
  const edits = reactive(new Map<string, Edit>())
  const tried: ShallowRef<Schema['WhatIfOut'] | null> = shallowRef(null)
  const error = ref<Error | null>(null)
  /** Degrees to advance the cam by in its table, as typed. */
  const advance = ref('')
  const refused = reactive(new Map<string, string>())
  let timer: ReturnType<typeof setTimeout> | undefined
  let asking: AbortController | undefined

  function stop() {
    clearTimeout(timer)
    asking?.abort()
  }

  async function tryOut() {
    asking?.abort()
    const advanceBy = Number(advance.value)
    const asksAdvance = advance.value.trim() !== '' && Math.abs(advanceBy) <= 20
    if (!edits.size && !asksAdvance) {
      tried.value = null
      return
    }
    const request = (asking = new AbortController())
    const texts = Object.fromEntries([...edits].map(([key, edit]) => [key, edit.text]))
    try {
      const outcome = await api.POST('/api/builds/{build_id}/what-if', {
        params: { path: { build_id: toValue(build).id } },
        body: { texts, advance_by: asksAdvance ? advanceBy : null },
        signal: request.signal,
      })
      if (!request.signal.aborted) tried.value = answer(outcome)
    } catch (caught) {
      if (!request.signal.aborted) error.value = caught as Error
    }
  }

  function edit(key: string, text: string, origin: Origin, how = '') {
    edits.set(key, { text, origin, how })
    refused.delete(key)
    clearTimeout(timer)
    timer = setTimeout(() => void tryOut(), PAUSE_MS)
  }

  /** Write one edit down. What is refused stays in its field with the message. */
  async function keep(key: string) {
    const given = edits.get(key)
    if (!given) return
    try {
      const changed = answer(
        await api.PUT('/api/builds/{build_id}/readings/{dimension}/{origin}', {
          params: { path: { build_id: build().id, dimension: key, origin: given.origin } },
          body: { text: given.text, how: given.how },
        }),
      )
      queries.setQueryData(['build', changed.id], changed)
      if (edits.get(key) === given) edits.delete(key)
      refused.delete(key)
      error.value = null
      await tryOut()
    } catch (caught) {
      const message = caught instanceof Problem ? caught.fields[key] : undefined
      if (message) refused.set(key, message)
      else error.value = caught as Error
    }
  }

  function drop() {
    stop()
    edits.clear()
    refused.clear()
    tried.value = null
    error.value = null
  }

  /** All edits together as the next revision; its number comes back. */
  async function saveAsRevision(reason: string): Promise<Build> {
    const changes = Object.fromEntries(edits)
    const made = answer(
      await api.POST('/api/builds/{build_id}/successor', {
        params: { path: { build_id: build().id } },
        body: { changes, reason },
      }),
    )
    drop()
    await queries.invalidateQueries()
    return made
  }

  watch(() => build().id, drop)
  watch(advance, () => {
    clearTimeout(timer)
    timer = setTimeout(() => void tryOut(), PAUSE_MS)
  })
  onScopeDispose(stop)

  const moved = computed(() => new Map((tried.value?.moved ?? []).map((step) => [step.after.key, step])))

  return {
    edits,
    advance,
    error,
    refused,
    tried,
    moved,
    edit,
    keep,
    drop,
    saveAsRevision,
    /** The figures of a group as they would be, where something is being tried. */
    figures: (group: string, known: Figure[]): Figure[] => [
      ...known.map((figure) => moved.value.get(figure.key)?.after ?? figure),
      ...[...moved.value.values()].flatMap(({ before, after }) =>
        !before && after.group === group ? [after] : [],
      ),
    ],
    wrong: (key: string): string => refused.get(key) ?? tried.value?.wrong[key] ?? '',
    understood: (key: string): string => tried.value?.understood[key] ?? '',
  }
}

export type Draft = ReturnType<typeof useDraft>
