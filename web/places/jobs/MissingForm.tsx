import { Choice } from '../../kit/controls'
import { TextField } from '@mui/material'
import type { ReactElement } from 'react'
import { connectorOf } from '../../../core/connection/connection'
import type { Column, ValueType } from '../../../core/value'
import type { Body } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { ControlColumns } from '../control/ControlColumns'
import type { Settings } from '../../../core/connection/definition'
import { SchemaFields } from '../../kit/fields/SchemaFields'
import { firstSettings } from '../connections/SettingsForm'
import type { Checked } from './checked'

type Missing = Checked['missing']
type Given = NonNullable<Body<typeof routes.bringInJobs>['given']>

/** What was filled in. `use` names what stands for it; empty where it is to be made. */
export interface Answers {
  readonly connections: Readonly<Record<string, { use: string; values: Settings; secret: string }>>
  readonly controls: Readonly<
    Record<string, { use: string; columns: readonly Column[]; key: readonly string[] }>
  >
  readonly values: Readonly<Record<string, string>>
}

const typeByName = (name: string): ValueType =>
  /^(is_|has_)?(active|enabled)$/.test(name) ? 'boolean' : 'text'

/** An answer for everything that is missing: what was filled in before, else the likeliest. */
export function firstAnswers(missing: Missing, before: Answers): Answers {
  return {
    connections: Object.fromEntries(
      missing.connections.map(({ name, kind }) => [
        name,
        before.connections[name] ?? { use: '', values: firstSettings(kind), secret: '' },
      ]),
    ),
    controls: Object.fromEntries(
      missing.controls.map(({ name, columns }) => [
        name,
        before.controls[name] ?? {
          use: '',
          columns: columns.map((column) => ({ name: column, type: typeByName(column) })),
          key: [],
        },
      ]),
    ),
    values: Object.fromEntries(missing.values.map(({ name }) => [name, before.values[name] ?? ''])),
  }
}

/** The answers as the server takes them. */
export function givenBy(missing: Missing, answers: Answers): Given {
  return {
    connections: Object.fromEntries(
      missing.connections.map(({ name }) => {
        const { use, values, secret } = answers.connections[name]!
        return [name, use ? { use } : { settings: values, ...(secret ? { secret } : {}) }]
      }),
    ),
    controls: Object.fromEntries(
      missing.controls.map(({ name }) => {
        const { use, columns, key } = answers.controls[name]!
        return [name, use ? { use } : { columns: [...columns], key: [...key] }]
      }),
    ),
    values: { ...answers.values },
  }
}

/** All that documents name and the environment does not have, asked for in one form. */
export function MissingForm({
  missing,
  answers,
  onAnswers,
  wrong,
}: {
  missing: Missing
  answers: Answers
  onAnswers: (answers: Answers) => void
  /** Paths of the answers that the server found wrong. */
  wrong: ReadonlySet<string>
}): ReactElement {
  const { environment } = useHere()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const controls = useAnswer(routes.controlTables, { query: { environment } })
  const set = <K extends keyof Answers>(list: K, name: string, change: Partial<Answers[K][string]>) =>
    onAnswers({
      ...answers,
      [list]: { ...answers[list], [name]: { ...(answers[list][name] as object), ...(change as object) } },
    })
  return (
    <section className="sheet stack" aria-labelledby="missing" style={{ flex: 'none' }}>
      <h2 id="missing" style={{ margin: 0 }}>
        Missing in {environment} <small>everything they name that is not here</small>
      </h2>
      {missing.values.map(({ name, at }) => (
        <div key={name} className="missing-one">
          <What name={`env.${name}`} what="a value of the environment" at={at} />
          <TextField
            label={`value of ${name}`}
            value={answers.values[name] ?? ''}
            error={wrong.has(`values.${name}`)}
            onChange={(event) =>
              onAnswers({ ...answers, values: { ...answers.values, [name]: event.target.value } })
            }
            sx={{ width: 300 }}
          />
        </div>
      ))}
      {missing.connections.map(({ name, kind, known, at }) => {
        const answer = answers.connections[name]
        if (!answer) return null
        const like = (connections.data ?? []).filter(
          (one) =>
            one.kind === kind &&
            one.name !== name &&
            one.settings.some((entry) => entry.environment === environment),
        )
        const secret = connectorOf(kind).secret(answer.values)
        const own = `connections.${name}`
        const faulty = new Set(
          [...wrong].flatMap((path) => (path.startsWith(`${own}.`) ? [path.slice(own.length + 1)] : [])),
        )
        return (
          <div key={name} className="missing-one">
            <What
              name={name}
              what={`${connectorOf(kind).words}${known ? ', without settings here' : ''}`}
              at={at}
              bad={faulty.size > 0 || wrong.has(own)}
            />
            <div className="stack" style={{ gap: 8, maxWidth: 460 }}>
              <Stand
                of={name}
                names={like.map((one) => one.name)}
                value={answer.use}
                onChange={(use) => set('connections', name, { use })}
                otherwise="is set up here"
              />
              {answer.use === '' && (
                <>
                  <SchemaFields
                    schema={connectorOf(kind).settings}
                    path={[]}
                    said={name}
                    value={answer.values}
                    frame={{
                      locked: false,
                      expressions: [],
                      offers: () => [],
                      fault: (path) => (faulty.has(path.join('.')) ? 'look at this' : undefined),
                    }}
                    onChange={(values) => set('connections', name, { values: (values ?? {}) as Settings })}
                  />
                  {secret && (
                    <TextField
                      label={`${secret} of ${name}`}
                      type="password"
                      autoComplete="new-password"
                      value={answer.secret}
                      onChange={(event) => set('connections', name, { secret: event.target.value })}
                    />
                  )}
                </>
              )}
            </div>
          </div>
        )
      })}
      {missing.controls.map(({ name, at }) => {
        const answer = answers.controls[name]
        if (!answer) return null
        return (
          <div key={name} className="missing-one">
            <What name={name} what="a control table" at={at} bad={wrong.has(`controls.${name}`)} />
            <div className="stack" style={{ gap: 8 }}>
              <Stand
                of={name}
                names={(controls.data ?? []).map((one) => one.name)}
                value={answer.use}
                onChange={(use) => set('controls', name, { use })}
                otherwise="is made, without rows"
              />
              {answer.use === '' && (
                <ControlColumns
                  columns={answer.columns}
                  keyColumns={answer.key}
                  fixed={false}
                  onChange={(columns) => set('controls', name, { columns })}
                  onKey={(key) => set('controls', name, { key })}
                />
              )}
            </div>
          </div>
        )
      })}
    </section>
  )
}

function What({
  name,
  what,
  at,
  bad = false,
}: {
  name: string
  what: string
  at: readonly { file: string; line: number }[]
  bad?: boolean
}): ReactElement {
  return (
    <div>
      <b className={bad ? 'mono bad' : 'mono'}>{name}</b>
      <br />
      <span className="soft">
        {what};{' '}
        {at
          .slice(0, 3)
          .map(({ file, line }) => `${file} line ${line}`)
          .join(', ')}
        {at.length > 3 && ` and ${at.length - 3} more`}
      </span>
    </div>
  )
}

/** Whether something that is here stands for what is missing; the documents are then brought in with its name. */
function Stand({
  of,
  names,
  value,
  onChange,
  otherwise,
}: {
  of: string
  names: readonly string[]
  value: string
  onChange: (name: string) => void
  otherwise: string
}): ReactElement {
  return (
    <span className="line">
      <span className="soft">it</span>
      <Choice
        label={`what ${of} is here`}
        value={value}
        options={[['', otherwise], ...names.map((name) => [name, `is ${name} here`] as const)]}
        onChange={onChange}
      />
    </span>
  )
}
