import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { alertRuleSchema, type AlertRuleGiven } from '../../../core/alert/rule'
import { tellings } from '../../../core/alert/kinds'
import { call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import type { Offers } from '../../kit/fields/frame'
import { FaultBox } from '../../kit/Fault'
import { Form } from '../../kit/Form'
import { say } from '../../kit/Notice'
import { ruleOf, type ListedRule } from './answers'
import { PlayedRule } from './PlayedRule'

interface Props {
  /** Undefined for a new one. */
  readonly listed: ListedRule | undefined
  readonly people: readonly string[]
  readonly environment: string
  readonly mayRun: boolean
  /** The name of a rule that is opened next. */
  readonly onClose: (next?: string) => void
}

/** A rule as it is first seen. */
const freshRule = (environment: string, mail: string | undefined, email: string): AlertRuleGiven => ({
  name: '',
  title: '',
  in: [environment],
  zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  tells: { matters: tellings.matters.fresh as never },
  to: [{ mail: { on: mail ?? '', to: email } }],
})

/** One rule: what it tells, whom, and what it would have sent over the last weeks; it is set here. */
export function RulePanel({ listed, people, environment, mayRun, onClose }: Props): ReactElement {
  const { session } = useHere()
  const [fault, setFault] = useState<Error>()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const jobs = useAnswer(routes.jobs, {})
  const offers: Offers = (names) => {
    if (names === 'job') return (jobs.data ?? []).map(({ name }) => name)
    if (names === 'environment') return session.environments.map(({ name }) => name)
    if (names === 'person') return people
    return (connections.data ?? []).filter(({ kind }) => kind === names).map(({ name }) => name)
  }
  if (!listed && !connections.data) return <section className="sheet" aria-label="new rule" />
  const mail = connections.data?.find(({ kind }) => kind === 'mail')?.name
  const values = listed ? ruleOf(listed) : freshRule(environment, mail, session.account?.email ?? '')
  const act = (work: Promise<unknown>, said: string, undo?: () => void) =>
    void work.then(() => {
      say(said, undo)
      onClose()
    }, setFault)
  return (
    <section className="sheet stack" aria-label={listed ? `rule ${values.title}` : 'new rule'} style={{ overflow: 'auto' }} tabIndex={0}>
      <div className="line" style={{ flexWrap: 'nowrap', alignItems: 'flex-start' }}>
        <b>{listed ? values.title : 'New rule'}</b>
        {listed && (
          <span className="soft" style={{ marginLeft: 'auto' }}>
            set by {listed.updatedBy}
          </span>
        )}
      </div>
      {fault && <FaultBox error={fault} />}
      {listed && mayRun && (
        <div className="line" style={{ flexWrap: 'wrap' }}>
          <Button onClick={() => void call(routes.tryAlert, { params: { name: values.name }, body: { environment } }).then(() => say('a trial is sent: see what became of it below'), setFault)}>
            Send a trial
          </Button>
          <Button onClick={() => act(call(routes.setAlert, { params: { name: values.name }, body: { active: !listed.active } }), listed.active ? `${values.title} is silent` : `${values.title} tells again`)}>
            {listed.active ? 'Let it be silent' : 'Let it tell'}
          </Button>
          <Button onClick={() => act(call(routes.dropAlert, { params: { name: values.name } }), `${values.title} is taken away`, () => void call(routes.saveAlert, { body: { rule: { ...values }, before: null } }).then(() => onClose(values.name), setFault))}>
            Take it away
          </Button>
        </div>
      )}
      {mayRun ? (
        <Form
          schema={alertRuleSchema}
          values={values}
          without={listed ? ['name'] : []}
          offers={offers}
          submit={listed ? 'Keep' : 'Make the rule'}
          cancel={listed ? 'Close' : 'Leave it'}
          onCancel={() => onClose()}
          onSubmit={async (rule) => {
            await call(routes.saveAlert, { body: { rule, before: listed?.updatedAt ?? null } })
            say(`${rule.title} is kept`)
            onClose(rule.name)
          }}
          above={(now) => <PlayedRule rule={now} environment={environment} />}
        />
      ) : (
        <>
          <div>
            tells of {listed?.says}
            <br />
            <span className="soft">{listed?.to.join('; ')}</span>
          </div>
          <PlayedRule rule={values} environment={environment} />
          <div>
            <Button onClick={() => onClose()}>Close</Button>
          </div>
        </>
      )}
    </section>
  )
} // prettier-ignore
