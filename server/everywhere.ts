import { fail } from '../core/fault'
import { may, type Right } from '../core/rights'
import type { Asked } from './handler'

type Who = Pick<Asked, 'engine' | 'account'>

/** The environments in which an account may do something. */
export async function environmentsWhere({ engine, account }: Who, right: Right): Promise<string[]> {
  const all = await engine.db.query.environment.findMany({ columns: { name: true } })
  return all.map(({ name }) => name).filter((name) => may(account, right, name))
}

/**
 * Holds what all environments share to who may change it in all of them.
 * @param what `control table "feeds"`
 * @throws FaultError `forbidden`, with the environments where they may not
 */
export async function holdShared(asked: Who, what: string): Promise<void> {
  const all = await asked.engine.db.query.environment.findMany({ columns: { name: true } })
  const may_ = new Set(await environmentsWhere(asked, 'build'))
  const without = all.map(({ name }) => name).filter((name) => !may_.has(name))
  if (without.length > 0)
    fail(
      'forbidden',
      `${what} is shared by all environments; this account may not change what runs in ${without.join(', ')}`,
    )
}
