import {
  goOn,
  holdRun,
  letGo,
  letWaitingGo,
  putFirst,
  giveUpFailed,
  setAside,
  stopRun,
} from '../../engine/running/controls'
import type { Handlers } from '../handler'

export const runControlHandlers: Pick<
  Handlers,
  'stopRun' | 'holdRun' | 'goOn' | 'setAside' | 'giveUpFailed' | 'letGo' | 'putFirst'
> = {
  stopRun: async ({ engine }, { params }) => {
    await stopRun(engine, params.id)
    return {}
  },
  holdRun: async ({ engine, account }, { params }) => {
    await holdRun(engine, params.id, account.name)
    return {}
  },
  goOn: async ({ engine }, { params, body }) => {
    await goOn(engine, params.id, body.loads)
    return {}
  },
  giveUpFailed: async ({ engine, account }, { params, body }) => ({
    loads: await giveUpFailed(engine, params.id, account.name, body.why),
  }),
  setAside: async ({ engine, account }, { params, body }) => ({
    loads: await setAside(engine, params.id, body.loads, account.name),
  }),
  letGo: async ({ engine, account }, { params, body }) => ({
    loads: body.loads
      ? await letGo(engine, params.id, body.loads, account.name, body.why)
      : await letWaitingGo(engine, params.id, account.name, body.why),
  }),
  putFirst: async ({ engine }, { params, body }) => ({
    loads: await putFirst(engine, params.id, body.loads),
  }),
}
