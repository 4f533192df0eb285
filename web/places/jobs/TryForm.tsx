import { SliceInput } from './SliceInput'
import { Flag } from '../../kit/controls'
import { Autocomplete, Button, MenuItem, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import useSWR from 'swr'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { count, numberText, timeText } from '../../look/times'
import { FaultBox } from '../../kit/Fault'
import { StateWord } from '../../look/State'
import type { OutlineAnswer } from './answers'
import { Parameters, valuesGiven } from './Parameters'
import '../try/try.css'
import type { LookedAt } from './lookedAt'

interface Props {
  readonly job: string
  /** The document as it stands, saved or not. */
  readonly text: string
  readonly outline: OutlineAnswer
  readonly part: number
  /** The step that is chosen, where one is. */
  readonly until: string | undefined
  readonly at: LookedAt
  readonly onClose: () => void
}

/** What to try: which rows, which slice, up to which step, where to stop for a look. */
export function TryForm({
  job,
  text,
  outline,
  part: chosenPart,
  until: chosenStep,
  at,
  onClose,
}: Props): ReactElement {
  const { environment, live } = useHere()
  const navigate = useNavigate()
  const [index, setIndex] = useState(chosenPart)
  const part = outline.parts[index] ?? outline.parts[0]!
  const steps = outline.parts
    .filter(({ index: of, kind }) => of <= part.index && (kind === 'once' || of === part.index))
    .flatMap((one) => one.steps.filter(({ off }) => !off))
  const [until, setUntil] = useState<string>(chosenStep ?? '')
  const [holds, setHolds] = useState<readonly string[]>([])
  const [rows, setRows] = useState<readonly string[] | undefined>(at.row === null ? undefined : [at.row])
  const [search, setSearch] = useState('')
  const [slice, setSlice] = useState(at.slice)
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(outline.parameters.map((one) => [one.name, String(one.try ?? one.default ?? '')])),
  )
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const roster = useSWR(
    part.kind === 'each' ? ['rows to try', text, environment, part.index, search, values] : null,
    () =>
      call(routes.previewRoster, {
        body: { text, environment, part: part.index, parameters: valuesGiven(outline, values), search, offset: 0, limit: 50 },
      }),
    { keepPreviousData: true, revalidateOnFocus: false, shouldRetryOnError: false },
  ) // prettier-ignore
  const keys = roster.data?.rows.map(({ key }) => key) ?? []
  const picked = rows ?? keys.slice(0, 1)
  const last = steps.some(({ id }) => id === until) ? until : (steps.at(-1)?.id ?? '')
  const upTo = steps.slice(0, steps.findIndex(({ id }) => id === last) + 1)
  const earlier = useAnswer(routes.tries, { params: { name: job } })
  const begin = async () => {
    const { id } = await call(routes.startTry, {
      body: {
        text,
        environment,
        part: part.index,
        rows: part.kind === 'each' ? [...picked] : [],
        slice: part.sliced && slice ? slice : undefined,
        until: last,
        holds: holds.filter((hold) => upTo.some(({ id: of }) => of === hold) && hold !== last),
        parameters: valuesGiven(outline, values),
      },
    })
    void navigate(`/tries/${id}`)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    setBusy(true)
    setFault(undefined)
    begin()
      .catch(setFault)
      .finally(() => setBusy(false))
  }
  return (
    <form className="sheet stack" onSubmit={submit} aria-label="what to try" style={{ flex: 'none' }}>
      <div className="line" style={{ flexWrap: 'wrap', rowGap: 12, paddingTop: 4 }}>
        {outline.parts.length > 1 && (
          <TextField
            select
            label="part"
            value={part.index}
            onChange={(event) => {
              setIndex(Number(event.target.value))
              setRows(undefined)
              setUntil('')
            }}
            sx={{ width: 170 }}
          >
            {outline.parts.map((one) => (
              <MenuItem key={one.index} value={one.index}>
                {one.index + 1} {one.title ?? (one.kind === 'once' ? 'once' : one.roster)}
              </MenuItem>
            ))}
          </TextField>
        )}
        {part.kind === 'each' && (
          <Autocomplete
            multiple
            size="small"
            options={keys}
            value={[...picked]}
            filterOptions={(options) => options}
            filterSelectedOptions
            getOptionDisabled={() => picked.length >= 20}
            inputValue={search}
            onChange={(_, value) => {
              setRows(value)
              setSearch('')
            }}
            onInputChange={(_, value, reason) => {
              // it resets itself whenever rows come in, which is not what was typed
              if (reason === 'reset') return
              setRows(picked)
              setSearch(reason === 'input' ? value : '')
            }}
            noOptionsText="no row is called that"
            sx={{ minWidth: 250, maxWidth: 460 }}
            renderInput={(parameters) => (
              <TextField
                {...parameters}
                label={`rows${roster.data ? `, of ${numberText(roster.data.total)}; 20 at most` : ''}`}
                error={picked.length === 0 && roster.data !== undefined}
              />
            )}
          />
        )}
        {part.sliced && <SliceInput every={outline.slices?.every} value={slice} onChange={setSlice} />}
        <TextField
          select
          label="up to"
          value={last}
          onChange={(event) => setUntil(event.target.value)}
          sx={{ minWidth: 190 }}
        >
          {steps.map(({ id, title }) => (
            <MenuItem key={id} value={id}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        <Parameters outline={outline} values={values} onValues={setValues} />
      </div>
      <div className="line" style={{ flexWrap: 'wrap', rowGap: 8 }}>
        {upTo.length > 1 && (
          <fieldset className="bare line" style={{ flexWrap: 'wrap' }}>
            <legend className="soft">stop for a look after</legend>
            {upTo.slice(0, -1).map(({ id, title }) => (
              <Flag
                key={id}
                label={title}
                words={title}
                checked={holds.includes(id)}
                onChange={() =>
                  setHolds(holds.includes(id) ? holds.filter((of) => of !== id) : [...holds, id])
                }
              />
            ))}
          </fieldset>
        )}
        <span className={live ? 'look' : 'soft'} style={{ marginLeft: 'auto' }}>
          writes into a scratch schema{live ? ` of ${environment}` : ''} and nowhere else
        </span>
        <Button
          type="submit"
          variant="contained"
          color="primary"
          disabled={busy || (part.kind === 'each' && picked.length === 0)}
        >
          {busy
            ? 'Starting'
            : part.kind === 'each'
              ? `Try ${count(picked.length, 'row')} in ${environment}`
              : `Try it in ${environment}`}
        </Button>
        <Button onClick={onClose}>Close</Button>
      </div>
      {fault && <FaultBox error={fault} />}
      {(earlier.data?.length ?? 0) > 0 && (
        <div className="line soft" style={{ flexWrap: 'wrap', rowGap: 2 }} aria-label="earlier tries">
          earlier:
          {earlier.data!.slice(0, 4).map((one) => (
            <Link key={one.id} to={`/tries/${one.id}`}>
              {one.rows.length > 0
                ? `${one.rows[0]}${one.rows.length > 1 ? ` and ${one.rows.length - 1} more` : ''}`
                : 'once'}
              , {timeText(one.createdAt)} <StateWord state={one.state} />
            </Link>
          ))}
        </div>
      )}
    </form>
  )
}
