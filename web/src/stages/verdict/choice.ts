/** What is judged and how: kept in the address, so that Curves, Verdict and Sheet tell of the same thing. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, type ComputedRef } from 'vue'
import { type LocationQuery, useRoute } from 'vue-router'

import { useFrame } from '../../app/frame'
import { useAddressParts } from '../../app/useAddress'
import { type Choice, verdictQuery } from './queries'

type Part = Exclude<keyof Choice, 'standard'>
const PARTS: Part[] = [
  'school',
  'measure',
  'duty',
  'points',
  'low',
  'high',
  'account_for',
  'counting',
  'healthy_only',
]

function text(query: LocationQuery, key: string): string {
  const found = query[key]
  return typeof found === 'string' ? found : ''
}

function rpm(query: LocationQuery, key: string): number | undefined {
  const found = text(query, key)
  return found !== '' && Number.isFinite(Number(found)) ? Number(found) : undefined
}

function choiceOf(query: LocationQuery, standard: string): Choice {
  return {
    standard,
    school: text(query, 'school'),
    measure: text(query, 'measure'),
    duty: text(query, 'duty'),
    points: text(query, 'points'),
    low: rpm(query, 'low'),
    high: rpm(query, 'high'),
    account_for: text(query, 'account_for'),
    healthy_only: text(query, 'healthy_only') === 'true',
    counting: text(query, 'counting'),
  }
}

/** What of the address goes along from stage to stage: by which standard, and what is judged how. */
export function judgedQuery(query: LocationQuery): LocationQuery {
  return Object.fromEntries(
    ['standard', ...PARTS].flatMap((name) => (query[name] ? [[name, query[name]]] : [])),
  )
}

export function useChoice(): {
  choice: ComputedRef<Choice>
  choose: (part: Partial<Record<Part, string | number | undefined>>) => void
  forget: () => void
  changed: ComputedRef<boolean>
} {
  const route = useRoute()
  const change = useAddressParts()
  const queries = useQueryClient()
  const { programme, standard } = useFrame()
  const choice = computed(() => choiceOf(route.query, standard.value))
  function choose(part: Partial<Record<Part, string | number | undefined>>) {
    const plain = Object.entries(part).map(([key, value]) => [
      key,
      value === undefined || value === '' ? undefined : String(value),
    ])
    const parts = Object.fromEntries(plain)
    const query = { ...route.query, ...parts }
    // Asked before the address changes: the server judges while the screen follows the address.
    void queries.prefetchQuery(verdictQuery(programme.value.id, choiceOf(query, standard.value)))
    change(parts, { step: false })
  }
  return {
    choice,
    choose,
    forget: () => choose(Object.fromEntries(PARTS.map((part) => [part, undefined]))),
    changed: computed(() => PARTS.some((part) => route.query[part] !== undefined)),
  }
}

/** The choice as a question with a body takes it. */
export function bodyOf(choice: Choice) {
  return { ...choice, low: choice.low ?? null, high: choice.high ?? null }
}

/** Points of a drawn duty as the address holds them. */
export function pointsText(points: number[][]): string {
  return points.map(([speed, weight]) => `${Math.round(speed!)}:${Math.round(weight! * 100) / 100}`).join(',')
}
