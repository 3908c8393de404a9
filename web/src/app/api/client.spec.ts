import { afterEach, expect, test, vi } from 'vitest'

import { answer, api, Problem } from './client'

afterEach(() => vi.unstubAllGlobals())

const failed = (status: number) => ({ ok: false, status }) as Response

test('a refusal of the server becomes a Problem with its sentence, code and fields', () => {
  const error = {
    code: 'invalid',
    detail: 'Say why the pull is excluded.',
    fields: { reason: 'a few words' },
  }
  const act = () => answer({ error, response: failed(422) })
  expect(act).toThrow(Problem)
  try {
    act()
  } catch (problem) {
    expect(problem).toMatchObject({
      status: 422,
      code: 'invalid',
      message: error.detail,
      fields: error.fields,
    })
  }
})

test('an answer in no known shape is told with its status', () => {
  expect(() => answer({ error: '<html>', response: failed(500) })).toThrow(
    'The server failed (500). Try again.',
  )
})

test('a server that cannot be reached is a Problem with status 0, not a bare network error', async () => {
  vi.stubGlobal('fetch', () => Promise.reject(new TypeError('failed to fetch')))
  await expect(api.GET('/api/me')).rejects.toMatchObject({ status: 0, code: 'unreachable' })
})

test('the data of a good answer comes through', () => {
  expect(answer({ data: { id: 3 }, response: { ok: true } as Response })).toEqual({ id: 3 })
})
