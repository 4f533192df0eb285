import { describe, expect, it } from 'vitest'
import { may, roles, type Role } from './rights'

describe('what somebody may do', () => {
  it('goes by what they are in an environment, where that is something else', () => {
    const holder = { role: 'engineer', environments: { live: 'reader', dev: 'keeper' } } as const
    expect([may(holder, 'build', 'live'), may(holder, 'look', 'live'), may(holder, 'build', 'staging')]).toEqual([false, true, true])
    // the house is one for all environments
    expect([may(holder, 'house', 'dev'), may(holder, 'house')]).toEqual([false, false])
    expect(may({ ...holder, atMost: 'look' }, 'run', 'staging')).toBe(false)
  })
  it.each(Object.keys(roles) as Role[])('of a %s is no more and no less where the environment has a name that every object has', (role) => {
    for (const right of ['look', 'run', 'build', 'house'] as const)
      for (const name of ['constructor', 'toString', '__proto__', 'hasOwnProperty'])
        expect([name, may({ role, environments: {} }, right, name)]).toEqual([name, may({ role }, right)])
  })
}) // prettier-ignore
