import type { AlertRule } from '../../core/alert/rule'
import type { WatchAsks } from '../watching/gather'

/** What telling goes by. */
export interface AlertOptions {
  readonly asks: WatchAsks
  /** Where people open Mattock, such as `https://loads.example.org`; a message leads there. */
  readonly address?: string | undefined
  /** Milliseconds between two looks at an environment, whoever does it. */
  readonly look?: number
  /** Milliseconds that what takes long to work out is waited for; what is known is told without it. */
  readonly within?: number
  /** Milliseconds between two looks at what is to be sent. */
  readonly post?: number
}

/** What stands below a message: why it was sent, and where to look. */
export const footOf = ({ title }: Pick<AlertRule, 'title'>, environment: string, address: string | undefined): string[] => [
  ...(address === undefined ? [] : [`${address}/?environment=${encodeURIComponent(environment)}`]),
  `You are told by the rule "${title}" of Mattock.`,
] // prettier-ignore
