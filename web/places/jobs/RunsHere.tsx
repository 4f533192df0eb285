import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useHere, useMayChange } from '../../data/session'
import { Confirm } from '../../kit/Confirm'
import { say } from '../../kit/Notice'
import type { JobAnswer } from './answers'

/** The version of a job that runs in the environment one looks at; null where none was put there. */
export function useRunsHere(job: Pick<JobAnswer, 'runsIn'>): number | null {
  const { environment } = useHere()
  return job.runsIn.find((one) => one.environment === environment)?.version ?? null
}

/** Says where the shown version is not what runs here. */
export function RunsHere({ job }: { job: JobAnswer }): ReactElement | null {
  const { environment } = useHere()
  const here = useRunsHere(job)
  if (here === job.version) return null
  return (
    <span className="tag edge">
      {here === null ? (
        `not in ${environment}`
      ) : (
        <>
          {environment} runs <Link to={`/jobs/${job.name}?version=${here}`}>version {here}</Link>
        </>
      )}
    </span>
  )
}

/** Puts a version into the environment one looks at, where one may build there; a live one is asked about first. */
export function PutVersion({
  job,
  version,
  onPut,
}: {
  job: Pick<JobAnswer, 'name' | 'runsIn'>
  version: number
  onPut: () => void
}): ReactElement | null {
  const { environment, live } = useHere()
  const here = useRunsHere(job)
  const may = useMayChange(environment)
  const [asking, setAsking] = useState(false)
  if (!may || here === version) return null
  const put = async () => {
    await call(routes.putJob, { params: { name: job.name, environment }, body: { version } })
    setAsking(false)
    onPut()
    say(`version ${version} runs in ${environment} now`)
  }
  return (
    <>
      <Button
        onClick={() => (live ? setAsking(true) : void put().catch((error: Error) => say(error.message)))}
      >
        Put in {environment}
      </Button>
      {asking && (
        <Confirm
          title={`Put version ${version} in ${environment}?`}
          yes={`Put version ${version}`}
          no="Cancel"
          onYes={put}
          onNo={() => setAsking(false)}
        >
          Runs that start from now on use version {version}
          {here === null ? '' : ` in place of version ${here}`}. Runs under way finish with the version they
          started with.
        </Confirm>
      )}
    </>
  )
}
