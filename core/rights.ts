/** What a person may do, from least to most: look at things, run jobs, build what is run, run the house itself. */
export const rights = ['look', 'run', 'build', 'house'] as const
export type Right = (typeof rights)[number]

/** What each kind of account may do. */
export const roles = {
  reader: ['look'],
  operator: ['look', 'run'],
  engineer: ['look', 'run', 'build'],
  /** Connections, secrets, people, what is kept. */
  keeper: ['look', 'run', 'build', 'house'],
} as const satisfies Record<string, readonly Right[]>

export type Role = keyof typeof roles
export const roleNames = Object.keys(roles) as [Role, ...Role[]]

/** Whose rights are asked for. */
export interface Holder {
  readonly role: Role
  /** What they are in single environments, where that is something else. */
  readonly environments?: Readonly<Record<string, Role>> | undefined
  /** What a token that stands for them may do at most. */
  readonly atMost?: Right | undefined
}

/**
 * May they do it? Where it is done in an environment, what they are there counts; the house is one for all
 * environments.
 */
export function may({ role, environments, atMost }: Holder, right: Right, environment?: string): boolean {
  if (atMost !== undefined && rights.indexOf(right) > rights.indexOf(atMost)) return false
  const own =
    right !== 'house' && environment !== undefined && environments && Object.hasOwn(environments, environment)
  const here = own ? environments[environment]! : role
  return (roles[here] as readonly Right[]).includes(right)
}
