import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { Empty } from '../kit/Fault'

export default function Nowhere(): ReactElement {
  return (
    <Empty>
      There is nothing at this address. <Link to="/">To the Morning sheet</Link>
    </Empty>
  )
}
