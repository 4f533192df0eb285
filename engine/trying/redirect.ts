import { parse } from 'libpg-query'
import { quoteName } from '../../core/text/slot'
import { stepFault } from '../context/step'

type Node = Readonly<Record<string, unknown>>

/** A table as a statement names it. `at` is the place of the name in the statement, in bytes. */
export interface Named {
  /** `schema.table`; `public` where no schema is written. */
  readonly table: string
  readonly at: number
  readonly writes: boolean
  /** Its rows do not matter: it is made, or its shape is taken. */
  readonly shape: boolean
  /** Other texts of the statement call it by its own name, so it must keep one. */
  readonly called: boolean
}

export interface Read {
  readonly kind: string
  readonly tables: readonly Named[]
  /** `schema.table.column` of texts that write the schema: their places. */
  readonly columns: readonly { readonly table: string; readonly at: number }[]
  readonly tree: Node
}

/** Statements that are left alone: what they do to a table's rows shows in the locks they take. */
const plain = new Set(['SelectStmt', 'DoStmt', 'CallStmt', 'VariableSetStmt', 'VariableShowStmt', 'ExplainStmt', 'PrepareStmt', 'ExecuteStmt', 'DeallocateStmt', 'LockStmt']) // prettier-ignore
const writers = new Set(['InsertStmt', 'UpdateStmt', 'DeleteStmt', 'MergeStmt', 'TruncateStmt', 'CreateStmt', 'CreateTableAsStmt', 'IndexStmt', 'AlterTableStmt', 'RenameStmt', 'ViewStmt']) // prettier-ignore
/** Statements that name a table without calling it by its name in their other texts. */
const nameless = new Set(['CreateStmt', 'IndexStmt', 'AlterTableStmt', 'RenameStmt', 'ViewStmt', 'TruncateStmt', 'IntoClause', 'shape']) // prettier-ignore
/** Their work is done for the stand-ins already, or says nothing about rows. */
const passed: Readonly<Record<string, string>> = {
  CreateSchemaStmt: 'schemas are not made in a try',
  CommentStmt: 'comments are not written in a try',
  GrantStmt: 'rights are not changed in a try',
  VacuumStmt: 'nothing is vacuumed or analysed in a try',
}
/** What they do is the same whatever rows the table has. */
const shapes = new Set(['CreateStmt', 'ViewStmt', 'shape'])

export const passedOver = (kind: string): string | undefined => passed[kind]

/**
 * Reads which tables one statement names, and what it does to each, as the real parser of Postgres sees it.
 * @throws StepFault `sql` where it cannot be read, `try` where it is of a kind that no stand-in can be made for
 */
export async function readStatement(text: string): Promise<Read> {
  let tree: Node
  try {
    const { stmts } = (await parse(text)) as unknown as { stmts?: { stmt: Node }[] }
    tree = stmts?.[0]?.stmt ?? { SelectStmt: {} }
  } catch (error) {
    stepFault('sql', `the SQL cannot be read: ${(error as Error).message}`, 'mend the statement in the job')
  }
  const [[kind, body]] = Object.entries(tree) as [[string, Node]]
  const known =
    plain.has(kind) ||
    (writers.has(kind) && !(kind === 'RenameStmt' && body.renameType !== 'OBJECT_COLUMN')) ||
    kind in passed ||
    (kind === 'DropStmt' && body.removeType === 'OBJECT_TABLE')
  if (!known)
    stepFault(
      'try',
      `a try cannot keep this statement to its scratch schema: ${text.slice(0, 120)}`,
      'turn the step off for the try, or run the load for real',
    )
  const tables: Named[] = []
  const columns: { table: string; at: number }[] = []
  walk(tree, kind, { local: new Set(), writes: false, writer: '' })
  return { kind, tables, columns, tree }

  function walk(
    node: unknown,
    statement: string,
    within: { local: ReadonlySet<string>; writes: boolean; writer: string },
  ): void {
    if (Array.isArray(node)) {
      for (const item of node) walk(item, statement, within)
      return
    }
    if (typeof node !== 'object' || node === null) return
    const body = node as Node
    if (typeof body.relname === 'string' && 'relpersistence' in body) {
      const { schemaname, relname, location, relpersistence } = body as {
        schemaname?: string
        relname: string
        location?: number
        relpersistence: string
      }
      if (relpersistence === 't' || (schemaname === undefined && within.local.has(relname))) return
      tables.push({
        table: `${schemaname ?? 'public'}.${relname}`,
        at: location ?? 0,
        writes: within.writes,
        shape: shapes.has(within.writer),
        called: body.alias === undefined && !nameless.has(within.writer),
      })
      return
    }
    const ctes = (body.withClause as { ctes?: { CommonTableExpr: { ctename: string } }[] } | undefined)?.ctes
    const local = ctes
      ? new Set([...within.local, ...ctes.map((query) => query.CommonTableExpr.ctename)])
      : within.local
    const fields = (body.ColumnRef as { fields?: { String?: { sval: string } }[]; location?: number }) ?? {}
    if (fields.fields?.length === 3 && fields.fields[0]?.String && fields.fields[1]?.String)
      columns.push({
        table: `${fields.fields[0].String.sval}.${fields.fields[1].String.sval}`,
        at: fields.location ?? 0,
      })
    for (const [name, value] of Object.entries(body)) {
      // a table whose shape is taken, or that a foreign key points at
      if (name === 'TableLikeClause' || name === 'pktable') {
        walk(value, name, { local, writes: false, writer: 'shape' })
        continue
      }
      const inner = /Stmt$/.test(name) ? name : statement
      // a table made of a SELECT stands in the INTO of either form
      const writes =
        (name === 'relation' && writers.has(statement)) ||
        (name === 'relations' && statement === 'TruncateStmt') ||
        (name === 'view' && statement === 'ViewStmt') ||
        name === 'into' ||
        name === 'intoClause'
      const into = name === 'into' || name === 'intoClause'
      const reads = name === 'query' || name === 'selectStmt' || name === 'fromClause' || name === 'tableElts'
      walk(value, inner, {
        local,
        writes: writes || (within.writes && !reads),
        writer: into ? 'IntoClause' : writes ? statement : reads ? '' : within.writer,
      })
    }
  }
}

/**
 * The statement with the names of tables replaced by those of their stand-ins; every other letter stays. A table that
 * other texts call by its name is given it as an alias.
 */
export function withStandIns(
  text: string,
  { tables, columns }: Pick<Read, 'tables' | 'columns'>,
  standIn: (table: string) => string | undefined,
): string {
  const bytes = Buffer.from(text, 'utf8')
  const edits = [
    ...tables.flatMap(({ table, at, called }) => {
      const name = standIn(table)
      if (name === undefined) return []
      const alias = called ? ` as ${quoteName(table.slice(table.indexOf('.') + 1))}` : ''
      return [{ from: at, to: endOfName(bytes, at), text: name + alias }]
    }),
    // schema.table.column is table.column of the alias
    ...columns.flatMap(({ table, at }) =>
      standIn(table) === undefined ? [] : [{ from: at, to: endOfPart(bytes, at) + 1, text: '' }],
    ),
  ].sort((a, b) => b.from - a.from)
  let result = bytes
  for (const { from, to, text: instead } of edits)
    result = Buffer.concat([result.subarray(0, from), Buffer.from(instead, 'utf8'), result.subarray(to)])
  return result.toString('utf8')
}

/** End of a name's part that begins at a byte: a quoted one at its quote, a bare one after its last letter. */
function endOfPart(bytes: Buffer, from: number): number {
  const rest = bytes.subarray(from).toString('utf8')
  const part = /^(?:"(?:[^"]|"")*"|[\p{L}_][\p{L}\p{N}_$]*)/u.exec(rest)?.[0] ?? ''
  return from + Buffer.byteLength(part, 'utf8')
}

/** End of a name of one or more parts, blanks around its dots allowed. */
function endOfName(bytes: Buffer, from: number): number {
  let end = endOfPart(bytes, from)
  for (;;) {
    const dot = /^\s*\.\s*(?=["\p{L}_])/u.exec(bytes.subarray(end).toString('utf8'))?.[0]
    if (dot === undefined) return end
    end = endOfPart(bytes, end + dot.length)
  }
}

/** Tables that a DROP TABLE names; the parser keeps no places for them. */
export function droppedTables(tree: Node): string[] {
  const { objects } = tree.DropStmt as { objects: { List: { items: { String: { sval: string } }[] } }[] }
  return objects.map((object) => {
    const parts = object.List.items.map((item) => item.String.sval)
    return parts.length > 1 ? parts.slice(-2).join('.') : `public.${parts[0]}`
  })
}
