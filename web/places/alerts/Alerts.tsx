import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useAddress } from '../../data/address'
import { useHere, useMay } from '../../data/session'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Panels } from '../../kit/Panels'
import { Table, type TableColumn } from '../../kit/Table'
import { StateMark } from '../../look/State'
import { Strip } from '../../look/Strip'
import { count, numberText, timeText } from '../../look/times'
import { ruleOf, type ListedRule, type Message } from './answers'
import { Log } from './Log'
import { MessagePanel } from './MessagePanel'
import { RulePanel } from './RulePanel'

const columns: readonly TableColumn<ListedRule>[] = [
  { id: 'title', title: 'rule', width: 'minmax(150px, 1.2fr)', cell: (one) => <span className="line" style={{ gap: 7, flexWrap: 'nowrap', minWidth: 0 }}><StateMark state={one.active ? 'done' : 'held'} size={12} /><span className="cut">{ruleOf(one).title}</span></span>, hint: (one) => `${ruleOf(one).title}${one.active ? '' : ', silent'}`, value: (one) => ruleOf(one).title },
  { id: 'says', title: 'tells of', width: 'minmax(180px, 2fr)', cell: ({ says }) => says, hint: ({ says }) => says },
  { id: 'to', title: 'tells', width: 'minmax(130px, 1.3fr)', cell: ({ to }) => to.join('; '), hint: ({ to }) => to.join('\n') },
  { id: 'open', title: 'stands', width: '64px', number: true, cell: ({ open, active }) => (active ? numberText(open) : 'silent'), value: ({ open }) => open },
  { id: 'sent', title: 'last 30 days', width: '130px', cell: ({ sent }) => <Strip label={count(sent.reduce((sum, n) => sum + n, 0), 'message')} width={120} height={18} bars={sent.map((value, i) => ({ label: `${i === sent.length - 1 ? 'the last 24 hours' : `${sent.length - 1 - i} days ago`}: ${count(value, 'message')}`, value }))} />, value: ({ sent }) => sent.reduce((sum, n) => sum + n, 0) },
  { id: 'latest', title: 'last told', width: '110px', cell: ({ latest, failed }) => <span className={failed > 0 ? 'bad' : ''} title={failed > 0 ? `${count(failed, 'message')} of the last 30 days nobody took` : ''}>{latest === null ? 'never' : timeText(latest)}</span>, value: ({ latest }) => latest },
] // prettier-ignore

/** Those that are left where a rule is open beside them. */
const narrow = columns.filter(({ id }) => !['to', 'sent'].includes(id))

/** Who is told of what, and what was sent. */
export default function Alerts(): ReactElement {
  const { environment } = useHere()
  const mayRun = useMay('run', environment)
  const [search, set] = useAddress()
  const opened = search.get('rule') ?? ''
  const [message, setMessage] = useState<Message>()
  const { data, error, mutate } = useAnswer(routes.alerts, { query: { environment } }, { keepPreviousData: true, refreshInterval: 20_000 }) // prettier-ignore
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the rules" />
  const { rules, people } = data
  const rule = rules.find((one) => ruleOf(one).name === opened)
  const open = (name: string) => {
    setMessage(undefined)
    set('rule', name)
  }
  const fresh = opened === 'new' && mayRun
  const beside = message !== undefined || fresh || rule !== undefined
  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Alerts</h1>
        <span className="soft">
          who is told of what, in {environment} · {count(rules.length, 'rule')}
        </span>
        {mayRun && (
          <Button variant="contained" color="primary" style={{ marginLeft: 'auto' }} onClick={() => open('new')}>
            New rule
          </Button>
        )}
      </div>
      <Panels name="alerts" first={58} least={[420, 330]}>
        <div className="stack grow">
          <div className="sheet flush" style={{ flex: 'none' }}>
            <Table
              label="rules"
              columns={beside ? narrow : columns}
              rows={rules}
              height={Math.min(280, 34 + 30 * Math.max(1, rules.length))}
              current={rules.findIndex((one) => one === rule)}
              onOpen={(one) => open(ruleOf(one).name)}
              faded={({ active }) => !active}
              empty={
                rules.length === 0 && (
                  <Empty>
                    Nobody is told of anything in {environment} yet. A rule says who is told, by mail or as an event, of
                    what needs a decision on the Morning sheet: once for each cause, and not for each load.
                    {mayRun && <> <Button onClick={() => open('new')}>Make a rule</Button></>}
                  </Empty>
                )
              }
            />
          </div>
          <Log
            environment={environment}
            rules={rules}
            onOpen={(one) => {
              set('rule', '')
              setMessage(one)
            }}
          />
        </div>
        {message ? (
          <MessagePanel message={message} mayRun={mayRun} onClose={() => setMessage(undefined)} />
        ) : (
          (fresh || rule) && (
            <RulePanel
              key={rule ? `${opened} ${rule.updatedAt}` : 'new'}
              listed={rule}
              people={people}
              environment={environment}
              mayRun={mayRun}
              onClose={(next = '') => {
                set('rule', next)
                void mutate()
              }}
            />
          )
        )}
      </Panels>
    </div>
  )
} // prettier-ignore
