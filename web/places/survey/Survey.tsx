import { Views } from '../../kit/Views'
import { Tick } from '../../kit/controls'
import type { Proposal } from './answers'
import { Button } from '@mui/material'
import { useCallback, useState, type ReactElement } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import { useSWRConfig } from 'swr'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { useMayChange } from '../../data/session'
import { Progress, StateWord } from '../../look/State'
import { bytesText, count, lengthText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Panels } from '../../kit/Panels'
import { Table, type TableColumn } from '../../kit/Table'
import { changeText } from '../../../core/catalog/compare'
import { formatText } from '../../../core/catalog/found'
import { ProposalDetail } from './ProposalDetail'
import { foundText, type Survey as SurveyData } from './Surveys'

const words = { new: 'new', changed: 'changed', gone: 'gone' } as const

/** A survey: how far it is, and what it would change in the catalog. */
export default function Survey(): ReactElement {
  const id = Number(useParams().id)
  const [search, setSearch] = useSearchParams()
  const mayChange = useMayChange()
  const { mutate } = useSWRConfig()
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set())
  const [chosen, setChosen] = useState<Proposal>()
  const [fault, setFault] = useState<Error>()
  const survey = useAnswer(routes.survey, { params: { id } }, {
    refreshInterval: (data) => (data && ['waiting', 'running'].includes(data.state) ? 500 : 0),
  }) // prettier-ignore
  const { data } = survey
  const over = data !== undefined && !['waiting', 'running'].includes(data.state)
  const strays = search.get('show') === 'strays'
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, proposals } = await call(routes.surveyProposals, {
        params: { id },
        query: { offset, limit },
      })
      return { total, rows: proposals }
    },
    [id],
  )
  const pages = usePages(over ? `/api/surveys/${id}/proposals` : null, fetchPage)
  if (survey.error && !data) return <FaultBox error={survey.error} />
  if (!data) return <Waiting what="reading the survey" />
  const pick = ({ number, decided }: Proposal) => {
    if (decided) return
    const next = new Set(picked)
    if (!next.delete(number)) next.add(number)
    setPicked(next)
  }
  const decide = (decision: 'accept' | 'leave', numbers?: number[]) => {
    call(routes.decideProposals, { params: { id }, body: { decision, ...(numbers ? { numbers } : {}) } })
      .then(async () => {
        setPicked(new Set())
        setChosen(undefined)
        setFault(undefined)
        await mutate(
          (key) => typeof key === 'string' && /^\/api\/(surveys|datasets|catalog|morning)/.test(key),
        )
        await pages.refresh()
      })
      .catch(setFault)
  }
  const act = (route: typeof routes.stopSurvey | typeof routes.resumeSurvey) =>
    void call(route, { params: { id } }).then(() => survey.mutate(), setFault)
  const shown = chosen ?? pages.row(0)
  const columns: readonly TableColumn<Proposal>[] = [
    { id: 'pick', title: '', width: '30px', cell: (row) => row.decided ? '' : <Tick label={`pick ${row.found?.name ?? row.known}`} checked={picked.has(row.number)} onChange={() => pick(row)} /> },
    { id: 'kind', title: '', width: '76px', cell: ({ kind }) => <span className={kind === 'gone' ? 'bad' : kind === 'changed' ? 'look' : 'good'}>{words[kind]}</span> },
    { id: 'name', title: 'dataset', width: 'minmax(150px, 1fr)', mono: true, cell: ({ found, known }) => known ?? found?.name ?? '', hint: ({ found, known }) => known ?? found?.name },
    { id: 'what', title: 'what it is', width: 'minmax(140px, 1.8fr)', cell: whatText, hint: whatText },
    ...(data.proposals.open < data.proposals.new + data.proposals.changed + data.proposals.gone ? [{ id: 'decided', title: '', width: '74px', cell: ({ decided }: Proposal) => <span className="soft">{decided ?? ''}</span> }] : []),
  ] // prettier-ignore
  const { open } = data.proposals
  return (
    <>
      <div className="head">
        <h1>
          Survey of <Link to={`/connections/${data.connection}`}>{data.connection}</Link>
        </h1>
        <StateWord state={data.state} />
        <span className="soft">
          {data.scope.include.length > 0 && <span className="mono">{data.scope.include.join(', ')} · </span>}
          {data.environment} · {timeText(data.createdAt)} by {data.by}
        </span>
        {mayChange && over && (
          <div className="actions">
            {(data.state === 'stopped' || data.state === 'failed') && (
              <Button onClick={() => act(routes.resumeSurvey)}>Go on from where it was</Button>
            )}
            {picked.size > 0 && (
              <>
                <Button onClick={() => decide('leave', [...picked])}>Leave {picked.size}</Button>
                <Button variant="contained" color="primary" onClick={() => decide('accept', [...picked])}>
                  Accept {picked.size}
                </Button>
              </>
            )}
            {picked.size === 0 && open > 0 && data.state === 'done' && (
              <Button variant="contained" color="primary" onClick={() => decide('accept')}>
                Accept all {open}
              </Button>
            )}
          </div>
        )}
      </div>
      {fault && <FaultBox error={fault} />}
      {data.fault && (
        <FaultBox error={new Error(`The survey failed: ${data.fault}. What it had read is kept.`)} />
      )}
      {!over ? (
        <Running survey={data} onStop={mayChange ? () => act(routes.stopSurvey) : undefined} />
      ) : (
        <>
          <div className="line" style={{ marginBottom: 8 }}>
            <Views
              label="what to show"
              value={strays ? 'strays' : 'changes'}
              views={[
                ['changes', `would change ${pages.total === undefined ? '' : numberText(pages.total)}`],
                ['strays', `strays ${numberText(data.strays.length)}`],
              ]}
              onChange={(show) => setSearch(show === 'strays' ? { show } : {})}
            />
            <span className="soft" style={{ marginLeft: 'auto' }}>
              {foundText(data)}
              {data.progress && ` · ${tookText(data)}`}
            </span>
          </div>
          {strays ? (
            <Strays survey={data} />
          ) : pages.total === 0 ? (
            <div className="sheet">
              <Empty>
                {data.state === 'done'
                  ? 'Everything that was found is known as it is. Nothing would change.'
                  : 'It was broken off before it knew what would change. What it read is kept.'}
              </Empty>
            </div>
          ) : (
            <Panels name="survey" first={52} least={[400, 380]}>
              <div className="sheet flush rows">
                <Table
                  label="what would change"
                  columns={columns}
                  total={pages.total ?? 0}
                  row={pages.row}
                  onSeen={pages.onSeen}
                  onCurrent={setChosen}
                  {...(mayChange ? { onPick: pick } : {})}
                  faded={({ decided }) => decided !== null}
                />
              </div>
              {shown ? <ProposalDetail key={shown.number} proposal={shown} /> : <div />}
            </Panels>
          )}
        </>
      )}
    </>
  )
}

function whatText({ found, change, kind }: Proposal): string {
  if (kind === 'gone') return 'it is not there any more'
  if (change && kind === 'changed') return changeText(change) || 'it is there again'
  if (!found) return ''
  return [
    count(found.columns.length, 'column'),
    found.files !== undefined && count(found.files, 'file'),
    found.rows !== undefined && `${found.estimated ? '≈ ' : ''}${count(found.rows, 'row')}`,
    found.format ? formatText(found.format) : found.kind,
  ]
    .filter(Boolean)
    .join(' · ')
}

function tookText({ progress, startedAt, endedAt, connection: _ }: SurveyData): string {
  const seconds =
    startedAt && endedAt ? (new Date(endedAt).getTime() - new Date(startedAt).getTime()) / 1000 : 0
  const read = progress && progress.total > 0 ? `${numberText(progress.seen)} looked at` : ''
  const reused = progress && progress.reused > 0 ? `${numberText(progress.reused)} of them as they were` : ''
  return [read, reused, seconds > 0 && `in ${lengthText(seconds)}`].filter(Boolean).join(', ')
}

function Running({ survey, onStop }: { survey: SurveyData; onStop: (() => void) | undefined }): ReactElement {
  const { progress, startedAt, stopping } = survey
  const seconds = startedAt ? Math.max(0.1, (Date.now() - new Date(startedAt).getTime()) / 1000) : 0
  const read = progress ? progress.seen - progress.reused : 0
  const rate = seconds > 0 ? read / seconds : 0
  const left = progress && rate > 0 ? (progress.total - progress.seen) / rate : undefined
  return (
    <div className="sheet" role="status">
      <div className="line">
        <Progress
          done={progress?.seen ?? 0}
          running={0}
          failed={0}
          total={progress?.total ?? 1}
          width={260}
        />
        <span>
          {!startedAt
            ? 'waiting for a worker'
            : !progress
              ? 'listing what there is'
              : `${numberText(progress.seen)} of ${numberText(progress.total)} looked at`}
          {progress && progress.reused > 0 && `, ${numberText(progress.reused)} as they were`}
          {rate > 0 && ` · ${numberText(Math.round(rate))} a second`}
          {progress && progress.bytes > 0 && ` · ${bytesText(progress.bytes)} read`}
          {left !== undefined && left > 1 && ` · some ${lengthText(left)} left`}
        </span>
        {onStop && (
          <Button style={{ marginLeft: 'auto' }} onClick={onStop} disabled={stopping}>
            {stopping ? 'Stopping' : 'Stop'}
          </Button>
        )}
      </div>
    </div>
  )
}

const strayColumns: readonly TableColumn<SurveyData['strays'][number]>[] = [
  { id: 'path', title: 'place', width: 'minmax(220px, 1fr)', mono: true, cell: ({ path }) => path, hint: ({ path }) => path },
  { id: 'reason', title: 'why it is no dataset', width: 'minmax(260px, 1.6fr)', cell: ({ reason }) => reason, hint: ({ reason }) => reason },
] // prettier-ignore

function Strays({ survey }: { survey: SurveyData }): ReactElement {
  return (
    <div className="sheet flush grow rows">
      <Table
        label="strays"
        columns={strayColumns}
        total={survey.strays.length}
        row={(i) => survey.strays[i]}
        empty={<Empty>Everything in the scope belongs to a dataset.</Empty>}
      />
    </div>
  )
}
