import { z } from 'zod'
import type { CheckKind } from '../core/job/checks'
import type { StepKind } from '../core/job/steps'

/** Kinds as answers say them: pages that only name one need no definition of it, so their types alone are taken in. */
export const stepKindSchema = z.string() as unknown as z.ZodType<StepKind>
export const checkKindSchema = z.string() as unknown as z.ZodType<CheckKind>
