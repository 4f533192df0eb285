import { parse } from 'libpg-query'
import type { StatementFact } from '../../core/plan/types'

interface RangeVar {
  readonly schemaname?: string
  readonly relname: string
}

type Node = Readonly<Record<string, unknown>>

const nameOf = ({ schemaname, relname }: RangeVar): string => `${schemaname ?? 'public'}.${relname}`

/**
 * What a text of one or more statements does to tables, as the real parser of Postgres reads it; undefined where it
 * cannot be read. Names of WITH queries are no tables.
 */
export async function tablesOf(text: string): Promise<StatementFact | undefined> {
  let tree: { stmts?: { stmt: Node }[] }
  try {
    tree = (await parse(text)) as typeof tree
  } catch {
    return undefined
  }
  const reads = new Set<string>()
  const writes = new Set<string>()
  const empties = new Set<string>()
  for (const { stmt } of tree.stmts ?? []) statement(stmt)
  return { reads: [...reads], writes: [...writes], empties: [...empties] }

  function statement(stmt: Node): void {
    const [[kind, body]] = Object.entries(stmt) as [[string, Node]]
    const target = body.relation as RangeVar | undefined
    switch (kind) {
      case 'TruncateStmt':
        for (const relation of body.relations as { RangeVar: RangeVar }[])
          empties.add(nameOf(relation.RangeVar))
        return
      case 'DropStmt':
        if (body.removeType === 'OBJECT_TABLE')
          for (const object of body.objects as { List: { items: { String: { sval: string } }[] } }[]) {
            const parts = object.List.items.map((item) => item.String.sval)
            empties.add(parts.length > 1 ? parts.slice(-2).join('.') : `public.${parts[0]}`)
          }
        return
      case 'DeleteStmt':
        ;(body.whereClause ? writes : empties).add(nameOf(target!))
        break
      case 'InsertStmt':
      case 'UpdateStmt':
      case 'MergeStmt':
        writes.add(nameOf(target!))
        break
      case 'CopyStmt':
        if (target) (body.is_from ? writes : reads).add(nameOf(target))
        break
      case 'CreateStmt':
        writes.add(nameOf(target!))
        break
      case 'ViewStmt':
        writes.add(nameOf(body.view as RangeVar))
        break
      case 'CreateTableAsStmt':
        writes.add(nameOf((body.into as { rel: RangeVar }).rel))
        break
    }
    const rest = Object.entries(body).filter(
      ([name]) => name !== 'relation' && name !== 'into' && name !== 'view',
    )
    collect(Object.fromEntries(rest), new Set())
  }

  /** Every table named below a node; `local` holds the names of WITH queries around it. */
  function collect(node: unknown, local: ReadonlySet<string>): void {
    if (Array.isArray(node)) {
      for (const item of node) collect(item, local)
      return
    }
    if (typeof node !== 'object' || node === null) return
    const body = node as Node
    const withQueries = (body.withClause as { ctes?: { CommonTableExpr: { ctename: string } }[] } | undefined)
      ?.ctes
    const inside = withQueries
      ? new Set([...local, ...withQueries.map((query) => query.CommonTableExpr.ctename)])
      : local
    for (const [name, value] of Object.entries(body)) {
      if (name === 'RangeVar') {
        const range = value as RangeVar
        if (range.schemaname !== undefined || !inside.has(range.relname)) reads.add(nameOf(range))
      } else if (/^(Insert|Update|Delete|Merge)Stmt$/.test(name)) statement({ [name]: value })
      else collect(value, inside)
    }
  }
}
