import { expect, test } from 'vitest'

import {
  addSetup,
  blankDraft,
  cell,
  cross,
  drawable,
  differsFromBase,
  dropSetup,
  moveVisit,
  orderInputs,
  positions,
  put,
  takeOrder,
} from './draft'

const SLOTS: Record<number, string> = { 1: 'intake_manifold', 2: 'intake_manifold', 8: 'spacer', 9: 'spacer' }
const slotOf = (part: number) => SLOTS[part]

function drafted() {
  const draft = blankDraft()
  put(draft, 0, 'intake_manifold', '1', slotOf)
  put(draft, 0, 'setting:jets', '72/82', slotOf)
  return draft
}

test('a part of the baseline goes into every setup that has not something else there', () => {
  const draft = blankDraft()
  put(draft, 1, 'spacer', '9', slotOf)
  put(draft, 0, 'intake_manifold', '1', slotOf)
  put(draft, 0, 'spacer', '8', slotOf)
  expect(draft.setups.map((setup) => cell(setup, 'intake_manifold', slotOf))).toEqual(['1', '1'])
  expect(draft.setups.map((setup) => cell(setup, 'spacer', slotOf))).toEqual(['8', '9'])
  expect(differsFromBase(draft, 1, 'spacer', slotOf)).toBe(true)
  expect(differsFromBase(draft, 1, 'intake_manifold', slotOf)).toBe(false)
})

test('a setup that was pulled does not follow', () => {
  const draft = drafted()
  put(draft, 0, 'intake_manifold', '2', slotOf, [false, true])
  expect(draft.setups.map((setup) => cell(setup, 'intake_manifold', slotOf))).toEqual(['2', '1'])
})

test('in a stepwise build what a step starts from carries on to the steps after it', () => {
  const draft = drafted()
  addSetup(draft, 1, true)
  expect(draft.setups[2]!.based_on).toBe(1)
  put(draft, 1, 'spacer', '8', slotOf)
  expect(draft.setups.map((setup) => cell(setup, 'spacer', slotOf))).toEqual(['', '8', '8'])
  put(draft, 2, 'intake_manifold', '2', slotOf)
  expect(differsFromBase(draft, 2, 'spacer', slotOf)).toBe(false)
  expect(differsFromBase(draft, 2, 'intake_manifold', slotOf)).toBe(true)
})

test('an empty setting is no setting', () => {
  const draft = drafted()
  put(draft, 1, 'setting:jets', '', slotOf)
  expect(draft.setups[1]!.settings).toEqual({})
  expect(draft.setups[0]!.settings).toEqual({ 'setting:jets': '72/82' })
})

test('a setup taken out takes its visits along, and places behind it move up', () => {
  const draft = drafted()
  addSetup(draft, 1, true)
  addSetup(draft, 2, true)
  draft.order = [0, 1, 2, 3, 0].map((setup) => ({ setup, pulls: '3', session: 0 }))
  dropSetup(draft, 1)
  expect(draft.order.map((visit) => visit.setup)).toEqual([0, 1, 2, 0])
  expect(draft.setups.map((setup) => setup.based_on)).toEqual([null, null, 1])
})

test('a setup keeps its letter, and new ones take the first that are free', () => {
  const draft = blankDraft()
  draft.setups[0] = { ...draft.setups[0]!, id: 11, position: 0 }
  draft.setups[1] = { ...draft.setups[1]!, id: 12, position: 2 }
  addSetup(draft)
  addSetup(draft)
  expect(positions(draft)).toEqual([0, 2, 1, 3])
})

test('every setup at each level of a setting', () => {
  const draft = drafted()
  draft.setups[1]!.name = 'Other'
  cross(draft, 'setting:boost_target', ['0.5 bar', '0.8 bar'])
  expect(draft.setups.map((setup) => cell(setup, 'setting:boost_target', slotOf))).toEqual([
    '0.5 bar',
    '0.5 bar',
    '0.8 bar',
    '0.8 bar',
  ])
  expect(draft.setups[3]!.name).toBe('Other 0.8 bar')
})

test('a visit that is moved joins the session of its neighbour above, and sessions stay in order', () => {
  const draft = blankDraft()
  draft.order = [
    { setup: 0, pulls: '3', session: 0 },
    { setup: 1, pulls: '3', session: 0 },
    { setup: 0, pulls: '2', session: 1 },
  ]
  moveVisit(draft, 1, 2)
  expect(draft.order.map((visit) => [visit.setup, visit.session])).toEqual([
    [0, 0],
    [0, 1],
    [1, 1],
  ])
})

test('an order that was found takes the pulls of each setup and of a return, and keeps the visits there are', () => {
  const draft = blankDraft()
  draft.setups[1]!.pulls = '4'
  draft.order = [{ id: 71, setup: 1, pulls: '9', session: 0 }]
  takeOrder(draft, [
    [0, 0],
    [1, 0],
    [0, 0],
    [0, 1],
  ])
  expect(draft.order.map((visit) => [visit.id, visit.setup, visit.pulls])).toEqual([
    [null, 0, '3'],
    [71, 1, '4'],
    [null, 0, '2'],
    [null, 0, '3'],
  ])
})

test('a name or a price changes no order, a part or a time does', () => {
  const draft = drafted()
  const before = orderInputs(draft)
  draft.setups[1]!.name = 'Another'
  draft.texts.hour_price = '90'
  draft.question = 'Which?'
  expect(orderInputs(draft)).toBe(before)
  draft.texts.warm_up = '30'
  expect(orderInputs(draft)).not.toBe(before)
})

test('a duty is drawn from the line that is there, or from an even one', () => {
  const street = [
    [3000, 1],
    [4500, 1],
    [6000, 0],
  ]
  expect(drawable(street, 3000, 6000, 5)).toEqual([
    [3000, 1],
    [3750, 1],
    [4500, 1],
    [5250, 0.5],
    [6000, 0],
  ])
  expect(drawable([], 3000, 4000, 2)).toEqual([
    [3000, 1],
    [4000, 1],
  ])
})
