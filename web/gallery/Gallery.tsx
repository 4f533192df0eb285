import { Button } from '@mui/material'
import { useState, type ReactElement, type ReactNode } from 'react'
import { createMemoryRouter, RouterProvider } from 'react-router'
import { z } from 'zod'
import { field } from '../../core/field/field'
import { runStates } from '../../core/runState'
import { ApiFault } from '../data/api'
import { HereContext } from '../data/session'
import { Confirm } from '../kit/Confirm'
import { Choice, Flag, NumberInput, TextInput, Tick, WordsInput } from '../kit/controls'
import { DayInput, DaySpan, TimeInput } from '../kit/dates'
import { Empty, FaultBox, Waiting } from '../kit/Fault'
import { FilePick } from '../kit/FilePick'
import { Form } from '../kit/Form'
import { LinkButton } from '../kit/LinkButton'
import { say } from '../kit/Notice'
import { Panels } from '../kit/Panels'
import { Slip } from '../kit/Slip'
import { Statements } from '../kit/Statements'
import { Table, type TableColumn } from '../kit/Table'
import { Template } from '../kit/Template'
import { Views } from '../kit/Views'
import { Progress, StateWord } from '../look/State'
import { numberText } from '../look/times'

/** Every part of the kit in the states that its users meet: long, empty, wrong, on its way, not theirs to change. For development. */
const longName = 'flow_thornby_upper_reservoir_outlet_meter_readings_as_they_came_from_the_district_office'

interface Feed {
  readonly name: string
  readonly title: string
  readonly rows: number
}
const columns: readonly TableColumn<Feed>[] = [
  { id: 'name', title: 'feed', width: 'minmax(120px, 1fr)', mono: true, cell: ({ name }) => name, value: ({ name }) => name, hint: ({ name }) => name },
  { id: 'title', title: 'what it is', width: 'minmax(120px, 2fr)', cell: ({ title }) => title, value: ({ title }) => title },
  { id: 'rows', title: 'rows', width: '90px', number: true, cell: ({ rows }) => numberText(rows), value: ({ rows }) => rows },
] // prettier-ignore
const feed = (n: number): Feed => ({
  name: n === 2 ? longName : `feed_${n}`,
  title: n % 7 === 0 ? 'came late, and in another dialect than the day before' : 'as usual',
  rows: n * 1317,
})
const schema = z.strictObject({
  name: field(z.string().min(1, 'needs a value'), { label: 'name' }).describe('as jobs will write it'),
  kind: field(z.enum(['first', 'second']), {
    label: 'kind',
    words: { first: 'the first', second: 'the second' },
  }),
  port: field(z.int().max(65_535, 'no port is larger'), { label: 'port', usual: '5432' }).optional(),
  secret: field(z.string(), { label: 'password', secret: true }).optional(),
  flag: field(z.boolean(), { label: 'keep it' }).optional().describe('even where nothing came'),
})

function Part({ name, says, children }: { name: string; says: string; children: ReactNode }): ReactElement {
  return (
    <section className="sheet" aria-label={name} style={{ marginBottom: 12 }}>
      <h2>
        {name} <small>{says}</small>
      </h2>
      {children}
    </section>
  )
}

function Parts(): ReactElement {
  const [text, setText] = useState('{row.prefix}_{format(slice.from, "yyyyMMdd")}.csv')
  const [words, setWords] = useState<string[]>(['north', 'south'])
  const [view, setView] = useState<'a' | 'b' | 'c'>('a')
  const [span, setSpan] = useState<[string, string]>(['2026-11-01', '2026-10-30'])
  const [open, setOpen] = useState<'slip' | 'confirm'>()
  const [tick, setTick] = useState(true)
  return (
    <main style={{ padding: 18, overflow: 'auto', height: '100vh', boxSizing: 'border-box' }}>
      <h1>The kit</h1>
      <p className="soft">each part in the states that its users meet</p>
      <Part name="Table" says="long, with a name that is too long; 10,000 rows">
        <Table
          label="long"
          columns={columns}
          rows={Array.from({ length: 10_000 }, (_, i) => feed(i + 1))}
          height={190}
          onOpen={() => {}}
        />
      </Part>
      <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 12 }}>
        <Part name="Table" says="empty">
          <Table
            label="empty"
            columns={columns}
            rows={[]}
            empty={<Empty>There is none yet. It is filled by surveys.</Empty>}
          />
        </Part>
        <Part name="Table" says="on its way">
          <Table label="coming" columns={columns} total={3} row={() => undefined} />
        </Part>
      </div>
      <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 12 }}>
        <Part name="Form" says="as it is opened">
          <Form
            schema={schema}
            values={{ name: 'books', kind: 'first' }}
            submit="Save for dev"
            onSubmit={() => Promise.resolve()}
            onCancel={() => {}}
          />
        </Part>
        <Part name="Form" says="refused by the server">
          <Form
            schema={schema}
            values={{ name: longName, kind: 'second', port: 70_000 }}
            submit="Save for dev"
            onSubmit={() =>
              Promise.reject(
                new ApiFault(
                  {
                    code: 'conflict',
                    message: 'there is a connection of that name already',
                    where: { path: 'name' },
                  },
                  [],
                  409,
                ),
              )
            }
          />
        </Part>
      </div>
      <Part name="Controls" says="free, and not theirs to change">
        {[false, true].map((disabled) => (
          <div key={String(disabled)} className="line" style={{ flexWrap: 'wrap', marginBottom: 8 }}>
            <TextInput label="text" width={180} value="as typed" disabled={disabled} onChange={() => {}} />
            <TextInput
              label="wrong"
              width={180}
              value="wrong"
              wrong
              disabled={disabled}
              onChange={() => {}}
            />
            <NumberInput label="number" value={1200} disabled={disabled} onChange={() => {}} />
            <Choice
              label="choice"
              value="b"
              options={[
                ['a', 'the first'],
                ['b', 'the second'],
              ]}
              disabled={disabled}
              onChange={() => {}}
            />
            <Flag label="flag" checked words="with words" disabled={disabled} onChange={() => {}} />
            <Tick label="tick" checked={tick} disabled={disabled} onChange={() => setTick(!tick)} />
            <WordsInput label="words" width={240} value={words} disabled={disabled} onChange={setWords} />
          </div>
        ))}
        <Template label="template" value={text} onChange={setText} names={['row.prefix', 'slice.from']} />
      </Part>
      <Part name="Days and times" says="the second span ends before it begins">
        <div className="line" style={{ flexWrap: 'wrap' }}>
          <DayInput label="a day" value="2026-11-25" onChange={() => {}} />
          <TimeInput label="a time" value="2026-11-25T18:04" onChange={() => {}} />
        </div>
        <div style={{ marginTop: 12 }}>
          <DaySpan first={span[0]} last={span[1]} onChange={(first, last) => setSpan([first, last])} />
        </div>
      </Part>
      <Part name="States" says="each its own texture, colour and word">
        <div className="line" style={{ flexWrap: 'wrap' }}>
          {runStates.map((state) => (
            <StateWord key={state} state={state} />
          ))}
          <Progress done={40} running={10} failed={5} total={100} width={200} />
        </div>
      </Part>
      <Part name="Buttons" says="and what is said afterwards">
        <div className="line" style={{ flexWrap: 'wrap' }}>
          <Button variant="contained" color="primary" onClick={() => say('12 changes saved', () => {})}>
            Save 12 rows
          </Button>
          <Button onClick={() => setOpen('slip')}>A slip</Button>
          <Button onClick={() => setOpen('confirm')}>A question</Button>
          <Button disabled>Saved</Button>
          <Button variant="text">within a line</Button>
          <span>
            words with a <LinkButton>button among them</LinkButton>
          </span>
          <Views
            label="views"
            value={view}
            views={[
              ['a', 'outline'],
              ['b', 'text'],
              ['c', 'versions (12)'],
            ]}
            onChange={setView}
          />
        </div>
      </Part>
      <Part name="What is missing or wrong" says="in words, with what to do">
        <FaultBox error={new Error(`there is no connection "warehous"; did you mean "warehouse"?`)} />
        <Waiting what="reading the jobs" />
        <Empty>A job says what to do with each row of a roster. There is none yet.</Empty>
      </Part>
      <Part name="Files" says="picked, or dropped">
        <FilePick label="rows" endings={['.csv', '.json']} onFiles={() => {}} />
      </Part>
      <Part name="Statements" says="as they ran, and one that failed">
        <Statements
          list={[
            {
              on: 'warehouse',
              text: 'insert into raw.reading (meter, value) select meter, value from mattock_stage',
              milliseconds: 84,
              rows: 1200,
            },
            {
              on: 'warehouse',
              text: 'truncate raw.readings',
              milliseconds: 2,
              error: 'relation "raw.readings" does not exist',
            },
          ]}
        />
      </Part>
      <Part name="Two sheets" says="with a divider between them">
        <div style={{ height: 90 }}>
          <Panels name="gallery" first={35}>
            <div className="sheet">left</div>
            <div className="sheet">{longName}</div>
          </Panels>
        </div>
      </Part>
      {open === 'slip' && (
        <Slip title="A slip over the page" onClose={() => setOpen(undefined)}>
          <p>For a form that is soon done.</p>
        </Slip>
      )}
      {open === 'confirm' && (
        <Confirm
          title="Take away what is older?"
          yes="Take it away"
          onYes={() => setOpen(undefined)}
          onNo={() => setOpen(undefined)}
        >
          <p>12 runs older than 400 days. They cannot be brought back.</p>
        </Confirm>
      )}
    </main>
  )
}

const router = createMemoryRouter([{ path: '*', element: <Parts /> }])

export default function Gallery(): ReactElement {
  const nobody = { account: null, environments: [], start: '', tables: {}, organisation: '', demo: [] }
  return (
    <HereContext.Provider
      value={{
        session: nobody,
        environment: 'dev',
        live: false,
        setEnvironment: () => {},
        night: false,
        setNight: () => {},
        signOut: () => {},
      }}
    >
      <RouterProvider router={router} />
    </HereContext.Provider>
  )
}
