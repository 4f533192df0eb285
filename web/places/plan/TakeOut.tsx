import { Button, Menu, MenuItem } from '@mui/material'
import { useState, type ReactElement } from 'react'
import type { PlanAnswer } from './answers'

const files = [
  ['csv', 'loads as CSV', 'every text resolved, a line a load'],
  ['json', 'plan as JSON', 'as the command gives it'],
  ['sarif', 'findings as SARIF', 'for a build server'],
] as const

/** The plan as a file. */
export function TakeOut({ plan }: { plan: PlanAnswer }): ReactElement {
  const [at, setAt] = useState<HTMLElement | null>(null)
  return (
    <span style={{ marginLeft: 'auto' }}>
      <Button aria-haspopup="menu" onClick={(event) => setAt(event.currentTarget)}>
        Take out
      </Button>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        {files.map(([as, name, what]) => (
          <MenuItem
            key={as}
            component="a"
            href={`/api/plans/${plan.id}/file?as=${as}`}
            download
            onClick={() => setAt(null)}
          >
            {name}&nbsp;<span className="soft">{what}</span>
          </MenuItem>
        ))}
      </Menu>
    </span>
  )
}
