/** A JSON Schema as far as keys go (JSON Schema 2020-12: 8.2.3.1, 10.2, 10.3). */
interface Node {
  readonly $ref?: string
  readonly anyOf?: readonly Node[]
  readonly oneOf?: readonly Node[]
  readonly allOf?: readonly Node[]
  readonly properties?: Readonly<Record<string, Node>>
  readonly additionalProperties?: Node | boolean
  readonly items?: Node | boolean
  readonly prefixItems?: readonly Node[]
}

/** The keys that a JSON Schema allows at a path of a document, in the order in which it has them. */
export function keysAt(schema: unknown, path: readonly PropertyKey[]): string[] {
  const root = schema as Node
  let nodes = opened(root, [root])
  for (const step of path)
    nodes = opened(
      root,
      nodes.flatMap((node) => below(node, step)),
    )
  return [...new Set(nodes.flatMap(({ properties }) => Object.keys(properties ?? {})))]
}

const isNode = (node: Node | boolean | undefined): node is Node => typeof node === 'object'

function below({ properties, additionalProperties, items, prefixItems }: Node, step: PropertyKey): Node[] {
  if (typeof step === 'number') return [prefixItems?.[step] ?? items].filter(isNode)
  const own = Object.hasOwn(properties ?? {}, step) ? properties![String(step)] : additionalProperties
  return [own].filter(isNode)
}

/** Nodes with all that they refer to or are made of, each once. */
function opened(root: Node, nodes: readonly Node[]): Node[] {
  const found = new Set<Node>()
  const open = (node: Node | undefined) => {
    if (!node || found.has(node)) return
    found.add(node)
    if (node.$ref !== undefined) open(referred(root, node.$ref))
    for (const one of [...(node.anyOf ?? []), ...(node.oneOf ?? []), ...(node.allOf ?? [])]) open(one)
  }
  nodes.forEach(open)
  return [...found]
}

/** What a reference within the schema, such as `#/$defs/step`, stands for (RFC 6901). */
function referred(root: Node, ref: string): Node | undefined {
  let at: unknown = root
  for (const part of ref.replace(/^#\/?/, '').split('/').filter(Boolean))
    at = (at as Record<string, unknown> | undefined)?.[part.replaceAll('~1', '/').replaceAll('~0', '~')]
  return at as Node | undefined
}
