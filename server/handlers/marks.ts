import { marksOf, movesOf, setMark } from '../../engine/writing/marks'
import type { Handlers } from '../handler'

export const markHandlers: Pick<Handlers, 'marks' | 'markMoves' | 'setMark'> = {
  marks: async ({ engine }, { params, query }) => await marksOf(engine, params.name, query.environment),
  markMoves: async ({ engine }, { query }) =>
    await movesOf(engine, query.environment, query.connection, query.mark),
  setMark: async ({ engine, account }, { body: { mark, ...body } }) => {
    await setMark(engine, { ...body, name: mark, by: account.name })
    return {}
  },
}
