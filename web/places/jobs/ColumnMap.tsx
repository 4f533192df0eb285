import { Choice } from '../../kit/controls'
import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer, Body } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { setMapping, setPolicy } from '../../../core/job/editMapping'
import type { ApiFault } from '../../data/api'
import { call } from '../../data/api'
import { useMayChange } from '../../data/session'
import { count } from '../../look/times'
import { DataGrid } from '../../kit/DataGrid'
import { FaultBox, Waiting } from '../../kit/Fault'

type Sheet = Answer<typeof routes.mapping>
type Column = Sheet['columns'][number]

const unknownWords = { fail: 'fail the load', ignore: 'are ignored', add: 'are added' } as const
const missingWords = { ignore: 'are left to their defaults', fail: 'fail the load' } as const

/** Which source column goes into which target column, with values, casts and guesses; a change goes into the job's text. */
export function ColumnMap({
  ask,
  onText,
}: {
  ask: Body<typeof routes.mapping>
  onText: (text: string) => void
}): ReactElement {
  const mayChange = useMayChange()
  const [open, setOpen] = useState(false)
  const { data, error } = useSWR<Sheet, ApiFault>(
    open ? `mapping ${JSON.stringify(ask)}` : null,
    () => call(routes.mapping, { body: ask }),
    {
      keepPreviousData: true,
      revalidateOnFocus: false,
      shouldRetryOnError: false,
    },
  )
  if (!open)
    return (
      <Button style={{ marginTop: 12 }} onClick={() => setOpen(true)}>
        Map the columns
      </Button>
    )
  const guessed = data?.columns.filter(({ why }) => why === 'like') ?? []
  const set = (column: Column, source: string) => {
    const same = source !== '' && source === column.target
    onText(setMapping(ask.text, ask.step, column.target, source === '' || same ? null : source))
  }
  const takeGuesses = () =>
    onText(guessed.reduce((text, { target, source }) => setMapping(text, ask.step, target, source), ask.text))
  return (
    <section ref={toTop} aria-labelledby="mapping" style={{ marginTop: 14 }}>
      <div className="line">
        <h2 id="mapping" style={{ margin: 0 }}>
          Columns{' '}
          {data && (
            <small>
              {data.from} → {data.into}
              {data.exists ? '' : ', which will be made'}, over the first {count(data.looked, 'row')}
            </small>
          )}
        </h2>
        {mayChange && guessed.length > 0 && (
          <Button style={{ marginLeft: 'auto' }} onClick={takeGuesses}>
            Take {guessed.length === 1 ? 'the guess' : `the ${guessed.length} guesses`}
          </Button>
        )}
      </div>
      {error && <FaultBox error={error} />}
      {!data && !error && <Waiting what="looking at source and target" />}
      {data && (
        <>
          <Lines style={{ marginTop: 6 }}>
            <TableHead>
              <TableRow>
                <TableCell>into</TableCell>
                <TableCell>from</TableCell>
                <TableCell className="keep">likeness</TableCell>
                <TableCell>values</TableCell>
                <TableCell>would not fit</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {data.columns.map((column) => (
                <TableRow key={column.target}>
                  <TableCell>
                    <span className="mono">{column.target}</span>
                    <br />
                    <span className="soft">{column.type ?? 'as it comes'}</span>
                  </TableCell>
                  <TableCell style={{ minWidth: 130 }}>
                    {mayChange ? (
                      <Choice
                        label={`source of ${column.target}`}
                        value={column.source ?? ''}
                        options={[
                          ['', column.why === 'given' ? 'by its name' : '—'],
                          ...data.sources.map(({ name }) => [name, name] as const),
                        ]}
                        onChange={(source) => set(column, source)}
                      />
                    ) : (
                      <span className="mono">{column.source ?? '—'}</span>
                    )}
                  </TableCell>
                  <TableCell className="keep">
                    {column.why === 'given' ? (
                      <span className="soft">set</span>
                    ) : column.why === 'same' ? (
                      <span className="soft">same</span>
                    ) : column.why === 'like' ? (
                      <span className="look">{column.likeness!.toFixed(2)}, a guess</span>
                    ) : (
                      <span className="soft">nothing</span>
                    )}
                  </TableCell>
                  <TableCell className="mono soft">
                    {column.samples.map((value) => cut(value ?? '')).join(', ')}
                  </TableCell>
                  <TableCell className={column.fails > 0 ? 'bad' : 'soft'}>
                    {column.fails > 0 ? (
                      <>
                        {column.fails} of {data.looked},{' '}
                        <span className="mono">{cut(column.failing ?? '')}</span>
                      </>
                    ) : column.source === null ? (
                      ''
                    ) : (
                      'all fit'
                    )}
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
          <div className="line" style={{ marginTop: 8, flexWrap: 'wrap' }}>
            {data.unused.length > 0 && (
              <span className="look">
                {count(data.unused.length, 'column')} of the source without a place:{' '}
                <span className="mono">{data.unused.join(', ')}</span>
              </span>
            )}
            <span className="soft line">
              columns the target lacks
              <Choice
                label="columns the target lacks"
                value={data.unknownColumns}
                disabled={!mayChange}
                options={Object.entries(unknownWords)}
                onChange={(value) => onText(setPolicy(ask.text, ask.step, 'unknown_columns', value))}
              />
            </span>
            <span className="soft line">
              columns the source lacks
              <Choice
                label="columns the source lacks"
                value={data.missingColumns}
                disabled={!mayChange}
                options={Object.entries(missingWords)}
                onChange={(value) => onText(setPolicy(ask.text, ask.step, 'missing_columns', value))}
              />
            </span>
          </div>
          <h3 style={{ fontSize: 13, margin: '12px 0 4px' }}>
            First rows{' '}
            <span className="soft" style={{ fontWeight: 400 }}>
              of {data.from}
            </span>
          </h3>
          <DataGrid
            label="first rows of the source"
            columns={data.sources.map(({ name, type }) => ({ name, ...(type === null ? {} : { type }) }))}
            rows={data.rows}
            height={Math.min(8, data.rows.length + 1) * 29 + 30}
          />
          {guessed.length > 0 && (
            <p className="soft">
              A guess counts only once it is taken; until then columns meet by their names.
            </p>
          )}
        </>
      )}
    </section>
  )
}

/** What was opened is wanted: it comes to the top of its sheet once. */
const toTop = (section: HTMLElement | null): void => section?.scrollIntoView({ block: 'start' })

const cut = (text: string): string => (text.length > 20 ? `${text.slice(0, 19)}…` : text)
