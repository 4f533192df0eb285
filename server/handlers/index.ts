import type { Handlers } from '../handler'
import { accessHandlers } from './access'
import { alertHandlers } from './alerts'
import { arrivalHandlers } from './arrivals'
import { catalogHandlers } from './catalog'
import { connectionHandlers } from './connections'
import { controlHandlers } from './control'
import { coverageHandlers } from './coverage'
import { documentHandlers } from './documents'
import { jobHandlers } from './jobs'
import { keepingHandlers } from './keeping'
import { planHandlers } from './plans'
import { proofHandlers } from './proof'
import { rejectHandlers } from './rejects'
import { markHandlers } from './marks'
import { workerHandlers } from './workers'
import { startHandlers } from './starts'
import { runControlHandlers } from './runControls'
import { runHandlers } from './runs'
import { sessionHandlers } from './session'
import { tryHandlers } from './tries'
import { watchHandlers } from './watch'

export const handlers: Handlers = {
  ...sessionHandlers,
  ...accessHandlers,
  ...alertHandlers,
  ...arrivalHandlers,
  ...connectionHandlers,
  ...catalogHandlers,
  ...controlHandlers,
  ...coverageHandlers,
  ...jobHandlers,
  ...keepingHandlers,
  ...planHandlers,
  ...runHandlers,
  ...markHandlers,
  ...workerHandlers,
  ...startHandlers,
  ...runControlHandlers,
  ...proofHandlers,
  ...rejectHandlers,
  ...documentHandlers,
  ...tryHandlers,
  ...watchHandlers,
}
