import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { computed, defineComponent, h } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'

import { type Day, type Programme, provideFrame } from './frame'
import RunningRibbon from './RunningRibbon.vue'
import { vuetify } from './theme'

const setups = [1, 2, 3].map((id) => ({ id, position: id - 1, letter: 'ABC'[id - 1], name: `setup ${id}` }))
const programme = { id: 1, setups, standard: { id: 'iso_1585_si' } } as unknown as Programme

/** Visits of five pulls, setup after setup. */
function day(pulls: number): Day {
  return {
    planned: [{ setup_id: 1, pulls: 4 }],
    pulls: Array.from({ length: pulls }, (_, at) => ({
      id: at + 1,
      number: at + 1,
      setup_id: (Math.floor(at / 5) % 3) + 1,
      changed: at % 5 === 0,
      started_at: '2026-11-21T13:12:00Z',
      state: 'complete',
      standing: at ? 'accepted' : 'excluded',
      standing_label: at ? 'Accepted' : 'Excluded',
      excluded_reason: at ? '' : 'Cold',
    })),
  } as unknown as Day
}

async function show(pulls: number) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/:rest(.*)*', name: 'pulls', component: { template: '<i />' } }],
  })
  const Frame = defineComponent(() => {
    provideFrame(
      computed(() => programme),
      computed(() => day(pulls)),
      computed(() => true),
    )
    return () => h(RunningRibbon)
  })
  const shown = mount(Frame, { global: { plugins: [router, vuetify] } })
  await router.isReady()
  return shown
}
Element.prototype.scrollTo = () => undefined

test('each of 35 pulls has its mark, by visit, and says what became of it', async () => {
  const ribbon = await show(35)
  expect(ribbon.findAll('a')).toHaveLength(35)
  expect(ribbon.findAll('li').filter((visit) => visit.find('a').exists())).toHaveLength(7)
  expect(ribbon.get('a').attributes('title')).toContain('Excluded: Cold')
  expect(ribbon.text()).toContain('4 planned')
})

test('of 300 a mark stands for a visit, and says which pulls it holds', async () => {
  const ribbon = await show(300)
  const marks = ribbon.findAll('a')
  expect(marks).toHaveLength(60)
  expect(marks[1]!.attributes('aria-label')).toBe('B setup 2, pulls 6 to 10')
  expect(marks[1]!.text()).toContain('×5')
})
