import { Tick } from '../../kit/controls'
import { bytesText, count, spanText } from '../../look/times'
import type { TableColumn } from '../../kit/Table'
import type { LoadRow, PlanAnswer } from './answers'

/** Of the row's columns only those that name the loads are shown at first; what is built from the others is. */
export function firstHidden(plan: PlanAnswer): ReadonlySet<string> {
  const columns = (plan.parts.find((part) => part.each) ?? plan.parts[0])?.differing.columns ?? []
  const rows = columns.filter(({ kind }) => kind === 'row')
  return new Set(rows.slice(1).map(({ id }) => id))
}

/** What the plan is, as one reads it aloud. */
export function sentence(plan: PlanAnswer, part: PlanAnswer['parts'][number]): string {
  if (!part.each) return `once, in ${plan.environment}`
  if (plan.picks)
    return `picked: ${count(plan.picks.length, 'stretch', 'stretches')} of ${count(new Set(plan.picks.map(({ row }) => row)).size, 'row')}, ${plan.span} in ${plan.environment}`
  const slices =
    part.slices > 0
      ? `, each of ${count(part.slices, 'slice')}${plan.span ? ` (${spanText(plan.span)})` : ''}`
      : ''
  const only = plan.only ? `, only where ${plan.only}` : ''
  const parameters = Object.entries(plan.parameters)
    .filter(([, value]) => value !== null)
    .map(([name, value]) => `${name} ${String(value)}`)
    .join(', ')
  return `for each of ${count(part.rows, 'row')}${slices}${only} in ${plan.environment}${parameters ? `, with ${parameters}` : ''}`
}

export function columnsOf(
  plan: PlanAnswer,
  part: PlanAnswer['parts'][number],
  onPick: ((load: LoadRow) => void) | undefined,
): TableColumn<LoadRow>[] {
  const own = (load: LoadRow) => load.part === part.index
  const columns: TableColumn<LoadRow>[] = [
    {
      id: 'in', title: '', width: '34px',
      cell: (load) => <Tick label={`run ${load.key}`} checked={!load.left} disabled={!onPick} onChange={() => onPick?.(load)} />,
    },
  ] // prettier-ignore
  // names first, then what is built from them; a row's columns that only repeat the key come last
  const { columns: differing } = part.differing
  // what is done once has no row and no slice: its name, and that it is done once, stand in their place
  const sliced = differing.some(({ kind }, i) => kind === 'slice' && i > 0)
  const once = (load: { key: string }, i: number) => {
    if (i > 0) return differing[i]!.kind === 'slice' ? <span className="soft">once</span> : ''
    return <span className="soft words">{sliced ? load.key : `once: ${load.key}`}</span>
  }
  differing.forEach((column, i) => {
    const mono = column.kind !== 'slice'
    columns.push({
      id: column.id,
      title: column.label,
      width:
        column.kind === 'slot'
          ? 'minmax(215px, 2fr)'
          : column.kind === 'row'
            ? 'minmax(150px, 1fr)'
            : 'minmax(92px, 0.6fr)',
      mono,
      cell: (load) => (own(load) ? load.cells[i] : once(load, i)),
      hint: (load) => (own(load) ? load.cells[i] : i === 0 ? load.key : undefined),
    })
  })
  if (differing.length === 0)
    columns.push({ id: 'key', title: 'load', width: 'minmax(160px, 1fr)', cell: ({ key }) => key })
  columns.push({
    id: 'files', title: 'found', width: '116px', number: true,
    cell: ({ files }) => (files === null ? '' : files.names.length === 0 ? <span className="look">no file</span> : files.names.length > 1 ? `${files.names.length} files, ${bytesText(files.bytes)}` : bytesText(files.bytes)),
    hint: ({ files }) => files?.names.join(', '),
  }) // prettier-ignore
  columns.push({
    id: 'codes', title: '', width: 'minmax(110px, 1fr)',
    cell: ({ codes, left }) => {
      const stop = codes.some((code) => plan.findings.some((finding) => finding.code === code && finding.level === 'stop'))
      return <span className={left ? undefined : stop ? 'bad' : 'look'}>{left ? 'left out' : codes.join(', ')}</span>
    },
    hint: ({ codes }) => codes.join(', '),
  }) // prettier-ignore
  return columns
}
