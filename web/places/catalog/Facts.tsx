import { Lines } from '../../kit/Lines'
import { Button, MenuItem, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { useMayChange } from '../../data/session'
import { Strip } from '../../look/Strip'
import { count, numberText, timeText } from '../../look/times'
import type { DatasetData } from './answers'

interface Edit {
  name?: string
  description?: string
  owner?: string
  tags?: string[]
  newColumns?: 'accept' | 'hold'
  closed?: boolean
}

const policies = { accept: 'taken in by themselves', hold: 'held for a person' } as const

const openness = {
  open: 'open to who may only look',
  closed: 'closed: only who runs jobs sees them',
} as const

/** What a person says of a dataset, and what goes on around it. */
export function Facts({
  data,
  onSave,
}: {
  data: DatasetData
  onSave: (edit: Edit) => Promise<unknown>
}): ReactElement {
  const mayChange = useMayChange()
  const [edit, setEdit] = useState<Required<Omit<Edit, 'tags'>> & { tags: string }>()
  const reads = data.uses.filter(({ direction }) => direction === 'read')
  const writes = data.uses.filter(({ direction }) => direction === 'write')
  return (
    <div className="stack" style={{ overflowY: 'auto' }}>
      <Through data={data} />
      <section className="sheet" aria-labelledby="facts">
        <div className="line" style={{ marginBottom: 4 }}>
          <h2 id="facts" style={{ margin: 0 }}>
            About it
          </h2>
          {mayChange && !edit && (
            <Button
              style={{ marginLeft: 'auto' }}
              onClick={() =>
                setEdit({
                  name: data.name,
                  description: data.description,
                  owner: data.owner,
                  newColumns: data.newColumns,
                  closed: data.closed,
                  tags: data.tags.join(', '),
                })
              }
            >
              Change
            </Button>
          )}
        </div>
        {edit ? (
          <form
            className="stack"
            onSubmit={(event) => {
              event.preventDefault()
              const tags = edit.tags.split(',').map((tag) => tag.trim()).filter((tag) => tag !== '') // prettier-ignore
              void onSave({ ...edit, tags }).then(() => setEdit(undefined))
            }}
          >
            <TextField
              label="Name"
              value={edit.name}
              onChange={(event) => setEdit({ ...edit, name: event.target.value })}
              autoFocus
            />
            <TextField
              label="Description"
              multiline
              minRows={2}
              value={edit.description}
              onChange={(event) => setEdit({ ...edit, description: event.target.value })}
            />
            <TextField
              label="Owner"
              value={edit.owner}
              onChange={(event) => setEdit({ ...edit, owner: event.target.value })}
            />
            <TextField
              label="Tags, commas between"
              value={edit.tags}
              onChange={(event) => setEdit({ ...edit, tags: event.target.value })}
            />
            <TextField
              select
              label="New columns are"
              value={edit.newColumns}
              onChange={(event) => setEdit({ ...edit, newColumns: event.target.value as 'accept' | 'hold' })}
            >
              {Object.entries(policies).map(([value, words]) => (
                <MenuItem key={value} value={value}>
                  {words}
                </MenuItem>
              ))}
            </TextField>
            <TextField
              select
              label="Its rows are"
              value={edit.closed ? 'closed' : 'open'}
              onChange={(event) => setEdit({ ...edit, closed: event.target.value === 'closed' })}
            >
              {Object.entries(openness).map(([value, words]) => (
                <MenuItem key={value} value={value}>
                  {words}
                </MenuItem>
              ))}
            </TextField>
            <div className="line">
              <Button type="submit" variant="contained" color="primary" disabled={edit.name.trim() === ''}>
                Save
              </Button>
              <Button onClick={() => setEdit(undefined)}>Leave as it was</Button>
            </div>
          </form>
        ) : (
          <>
            {data.description && <p>{data.description}</p>}
            <Lines>
              <TableBody>
                <Fact name="owner">{data.owner || <span className="soft">nobody yet</span>}</Fact>
                {data.tags.length > 0 && <Fact name="tags">{data.tags.join(', ')}</Fact>}
                <Fact name="key">
                  {data.key.length > 0 ? (
                    <span className="mono">{data.key.join(', ')}</span>
                  ) : (
                    <span className="soft">none known</span>
                  )}
                </Fact>
                <Fact name="new columns">{policies[data.newColumns]}</Fact>
                <Fact name="rows">{openness[data.closed ? 'closed' : 'open']}</Fact>
                <Fact name="surveyed">{timeText(data.surveyedAt)}</Fact>
              </TableBody>
            </Lines>
          </>
        )}
      </section>
      <section className="sheet" aria-labelledby="uses">
        <h2 id="uses">Who uses it</h2>
        {data.uses.length === 0 && <span className="soft">No load has read or written it yet.</span>}
        {writes.length > 0 && <Uses words="written by" uses={writes} />}
        {reads.length > 0 && <Uses words="read by" uses={reads} />}
      </section>
    </div>
  )
}

function Fact({ name, children }: { name: string; children: ReactElement | string }): ReactElement {
  return (
    <TableRow>
      <TableCell component="th" scope="row" style={{ width: 92 }}>
        {name}
      </TableCell>
      <TableCell>{children}</TableCell>
    </TableRow>
  )
}

function Uses({ words, uses }: { words: string; uses: DatasetData['uses'] }): ReactElement {
  return (
    <div>
      {uses.map(({ job, run, at, rows }) => (
        <div key={job}>
          <span className="soft">{words}</span> <Link to={`/jobs/${job}`}>{job}</Link>{' '}
          <span className="soft">
            <Link to={`/runs/${run}`}>{timeText(at)}</Link>, {count(rows, 'row')}
          </span>
        </div>
      ))}
    </div>
  )
}

const dayMilliseconds = 86_400_000

/** Rows that went through it, day by day; where no load touched it, its rows at each survey. */
function Through({ data }: { data: DatasetData }): ReactElement | null {
  const { days, direction } = data.days
  if (days.length > 0) {
    const byDay = new Map(days.map((day) => [day.day, day]))
    const last = Date.parse(days.at(-1)!.day)
    const bars = Array.from({ length: 60 }, (_, i) => {
      const day = new Date(last - (59 - i) * dayMilliseconds).toISOString().slice(0, 10)
      const found = byDay.get(day)
      return {
        label: found
          ? `${day}: ${count(found.rows, 'row')} in ${count(found.loads, 'load')}`
          : `${day}: nothing`,
        value: found?.rows ?? 0,
      }
    })
    return (
      <section className="sheet" aria-label="rows over time">
        <h2>
          Rows {direction === 'write' ? 'written' : 'read'} <small>a day, for 60 days</small>
        </h2>
        <Strip
          bars={bars}
          width={262}
          height={44}
          label={`rows ${direction === 'write' ? 'written' : 'read'} a day, to ${days.at(-1)!.day}`}
        />
      </section>
    )
  }
  const counted = data.counts.filter(({ rows }) => rows !== null)
  if (counted.length < 2) return null
  const bars = counted
    .slice(-60)
    .map(({ at, rows }) => ({ label: `${timeText(at)}: ${numberText(rows ?? 0)} rows`, value: rows ?? 0 }))
  return (
    <section className="sheet" aria-label="rows over time">
      <h2>
        Rows in it <small>at {count(bars.length, 'survey')}</small>
      </h2>
      <Strip bars={bars} width={262} height={44} label="rows at each survey" />
    </section>
  )
}
