import { zodResolver } from '@hookform/resolvers/zod'
import { Button } from '@mui/material'
import { useState, type ReactElement, type ReactNode } from 'react'
import { useForm, type FieldValues, type Path } from 'react-hook-form'
import type { z } from 'zod'
import { ApiFault } from '../data/api'
import { FaultBox } from './Fault'
import type { FieldFrame, FieldPath, Offers } from './fields/frame'
import { SchemaFields } from './fields/SchemaFields'
import { LeaveGuard } from './LeaveGuard'

interface Props<S extends z.ZodType<FieldValues, FieldValues>> {
  readonly schema: S
  readonly values: z.input<S>
  /** Says what the button does: `Save for live`. */
  readonly submit: ReactNode
  /** What the server finds wrong with a field is said beside it. @throws ApiFault */
  readonly onSubmit: (values: z.output<S>) => Promise<unknown>
  readonly onCancel?: () => void
  readonly cancel?: ReactNode
  /** Where the server's paths point to in the form, where they are not the same. */
  readonly place?: (path: string) => string
  readonly without?: readonly string[]
  /** What stands above the fields, and below them, made of what they hold. */
  readonly above?: (values: z.input<S>) => ReactNode
  readonly children?: (values: z.input<S>) => ReactNode
  /** What is offered where a text names something. */
  readonly offers?: Offers
  /** Keys that only matter with what is set beside them. */
  readonly schemaFor?: (values: z.input<S>) => S
}

/** A field that was emptied has no value, and is not of a wrong type. */
const saysMissing = (issue: { readonly code?: string; readonly input?: unknown }): string | undefined =>
  issue.code === 'invalid_type' && issue.input === undefined ? 'needs a value' : undefined

/**
 * A form made from a schema: a field for each of its keys, the same words beside the same field whether the page or the
 * server finds the fault. What is not saved is not left by mistake.
 */
export function Form<S extends z.ZodType<FieldValues, FieldValues>>({
  schema,
  values,
  submit,
  onSubmit,
  onCancel,
  cancel = 'Leave as it was',
  place = (path) => path,
  without = [],
  above,
  children,
  offers = () => [],
  schemaFor,
}: Props<S>): ReactElement {
  const form = useForm<z.input<S>, unknown, z.output<S>>({
    defaultValues: values as never,
    resolver: (given, context, options) =>
      zodResolver<z.input<S>, unknown, z.output<S>>((schemaFor?.(given) ?? schema) as never, {
        error: saysMissing,
      })(given, context, options),
    mode: 'onTouched',
  })
  const [fault, setFault] = useState<Error>()
  const [done, setDone] = useState(false)
  const now = form.watch()
  const { errors, isSubmitting, isDirty } = form.formState
  const at = (path: FieldPath) => path.join('.') as Path<z.input<S>>
  const frame: FieldFrame = {
    locked: isSubmitting,
    expressions: [],
    offers,
    fault: (path) => form.getFieldState(at(path), form.formState).error?.message,
    onSet: (path, value) =>
      form.setValue(at(path), value as never, {
        shouldDirty: true,
        shouldValidate: form.formState.isSubmitted || form.getFieldState(at(path)).invalid,
      }),
  }
  const save = async (given: z.output<S>) => {
    setFault(undefined)
    try {
      await onSubmit(given)
      setDone(true)
    } catch (error) {
      const path = error instanceof ApiFault ? error.fault.where.path : undefined
      if (path !== undefined)
        form.setError(place(path) as Path<z.input<S>>, { message: (error as Error).message })
      setFault(error as Error)
    }
  }
  return (
    <form
      className="stack"
      style={{ paddingTop: 6 }}
      noValidate
      onSubmit={(event) => void form.handleSubmit(save)(event)}
    >
      <LeaveGuard when={isDirty && !done} />
      {above?.(now)}
      <SchemaFields
        schema={schemaFor?.(now) ?? schema}
        path={[]}
        said=""
        value={now}
        frame={frame}
        without={without}
        onChange={() => {}}
      />
      {children?.(now)}
      {fault && <FaultBox error={fault} />}
      {!fault && Object.keys(errors).length > 0 && (
        <p className="bad">Something is missing or wrong above.</p>
      )}
      <div className="line">
        <Button type="submit" variant="contained" color="primary" disabled={isSubmitting}>
          {submit}
        </Button>
        {onCancel && <Button onClick={onCancel}>{cancel}</Button>}
      </div>
    </form>
  )
}
