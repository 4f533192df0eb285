/** What a person may do: look at things, run jobs, change what is defined. */
export type Right = 'look' | 'run' | 'change'

/** What each kind of account may do. */
export const roles = {
  reader: ['look'],
  engineer: ['look', 'run', 'change'],
} as const satisfies Record<string, readonly Right[]>

export type Role = keyof typeof roles

export const may = (role: Role, right: Right): boolean => (roles[role] as readonly Right[]).includes(right)
