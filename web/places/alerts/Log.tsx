import { useCallback, useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { usePages } from '../../data/pages'
import { Choice } from '../../kit/controls'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { StateMark, type State } from '../../look/State'
import { numberText, timeText } from '../../look/times'
import { ruleOf, type ListedRule, type Message } from './answers'

/** What became of a message, in words and as it is drawn. */
export const messageWords: Readonly<
  Record<Message['state'], { readonly said: string; readonly mark: State }>
> = {
  waiting: { said: 'to be sent', mark: 'waiting' },
  taken: { said: 'taken', mark: 'done' },
  failed: { said: 'not taken', mark: 'failed' },
}

const columns: readonly TableColumn<Message>[] = [
  { id: 'at', title: 'sent', width: '116px', cell: ({ at }) => timeText(at) },
  { id: 'state', title: 'became', width: '104px', cell: ({ state }) => <span className="line" style={{ gap: 6, flexWrap: 'nowrap' }}><StateMark state={messageWords[state].mark} size={12} />{messageWords[state].said}</span> },
  { id: 'subject', title: 'what was said', width: 'minmax(220px, 2.6fr)', cell: ({ subject }) => subject, hint: ({ subject }) => subject },
  { id: 'to', title: 'to', width: 'minmax(120px, 1.2fr)', cell: ({ to }) => to, hint: ({ to }) => to },
  { id: 'rule', title: 'rule', width: 'minmax(90px, 0.9fr)', cell: ({ title }) => title, hint: ({ title }) => title },
] // prettier-ignore

/** What was sent and what became of it, the newest first. */
export function Log({
  environment,
  rules,
  onOpen,
}: {
  readonly environment: string
  readonly rules: readonly ListedRule[]
  readonly onOpen: (message: Message) => void
}): ReactElement {
  const [rule, setRule] = useState('')
  const [state, setState] = useState<Message['state'] | ''>('')
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const query = { environment, offset, limit, rule: rule || undefined, state: state || undefined }
      const { total, messages } = await call(routes.alertMessages, { query })
      return { total, rows: messages }
    },
    [environment, rule, state],
  )
  const pages = usePages(`/api/alerts/messages?${environment}&${rule}&${state}`, fetchPage)
  return (
    <div className="stack grow">
      <div className="line">
        <h2 style={{ margin: 0 }}>What was sent</h2>
        <span className="line" style={{ marginLeft: 'auto' }}>
          <Choice
            label="by which rule"
            value={rule}
            options={[
              ['', 'all rules'],
              ...rules.map((one) => [ruleOf(one).name, ruleOf(one).title] as const),
            ]}
            onChange={setRule}
          />
          <Choice
            label="what became of it"
            value={state}
            options={[
              ['', 'whatever became of it'],
              ...(['waiting', 'taken', 'failed'] as const).map(
                (one) => [one, messageWords[one].said] as const,
              ),
            ]}
            onChange={setState}
          />
          <span className="soft">{pages.total === undefined ? '' : numberText(pages.total)}</span>
        </span>
      </div>
      {pages.error && <FaultBox error={pages.error} />}
      <div className="sheet flush grow rows">
        <Table
          label="messages"
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          onOpen={onOpen}
          empty={
            pages.total === 0 && (
              <Empty>
                {rule === '' && state === ''
                  ? 'Nothing was sent yet. Every message is kept here, with what was said to it.'
                  : 'Nothing fits.'}
              </Empty>
            )
          }
        />
      </div>
    </div>
  )
}
