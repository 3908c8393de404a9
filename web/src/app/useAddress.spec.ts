import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { h } from 'vue'
import { createMemoryHistory, createRouter, RouterView } from 'vue-router'

import { useAddress, useAddressParts, watchScreens } from './useAddress'

type Change = ReturnType<typeof useAddressParts>

/** A screen with a search, and one whose script comes when it is let, or not at all. */
async function shown() {
  let change: Change | undefined
  let typed: ReturnType<typeof useAddress> | undefined
  let arrive = () => undefined as void
  let fail = () => undefined as void
  const List = {
    setup() {
      change = useAddressParts()
      typed = useAddress('search')
      return () => h('i')
    },
  }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', name: 'list', component: List },
      {
        path: '/other',
        name: 'other',
        component: () =>
          new Promise<{ render: () => unknown }>((resolve, reject) => {
            arrive = () => resolve({ render: () => h('b') })
            fail = () => reject(new Error('no script'))
          }),
      },
    ],
  })
  watchScreens(router)
  await router.push('/?page=2')
  mount(RouterView, { global: { plugins: [router] } })
  await router.isReady()
  return { router, change: change!, typed: typed!, arrive: () => arrive(), fail: () => fail() }
}
const settled = () => new Promise((done) => setTimeout(done))

test('several parts change in one step', async () => {
  const { router, change } = await shown()
  change({ search: 'cam', page: undefined })
  await settled()
  expect(router.currentRoute.value.query).toEqual({ search: 'cam' })
})

test('a change that follows at once takes nothing back of the one before', async () => {
  const { router, change, typed } = await shown()
  change({ both: '1' })
  change({ cursor: '4000' }, { step: false })
  typed.value = 'cam'
  await settled()
  expect(router.currentRoute.value.query).toEqual({ page: '2', both: '1', cursor: '4000', search: 'cam' })
})

test('a change while another screen is on its way does not call it back', async () => {
  const { router, typed, arrive } = await shown()
  void router.push('/other')
  await settled()
  typed.value = 'late'
  arrive()
  await settled()
  expect(router.currentRoute.value.fullPath).toBe('/other')
})

test('where the other screen never came, this one goes on', async () => {
  const { router, typed, fail } = await shown()
  const going = router.push('/other').catch(() => undefined)
  await settled()
  fail()
  await going
  typed.value = 'cam'
  await settled()
  expect(router.currentRoute.value.query).toEqual({ page: '2', search: 'cam' })
})
