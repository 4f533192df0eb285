import { Button, ButtonBase, Menu, MenuItem } from '@mui/material'
import { Fragment, lazy, Suspense, useMemo, useState, type ReactElement } from 'react'
import { NavLink, Outlet, useLocation, Link } from 'react-router'
import { routes } from '../../contract/routes'
import { useAnswer } from '../data/api'
import { useFreshRuns } from '../data/live'
import { useHere } from '../data/session'
import { Progress } from '../look/State'
import { lengthText, numberText } from '../look/times'
import { Waiting } from '../kit/Fault'
import { belongsTo, rooms } from '../places'
import { useKeys } from '../kit/keys'

const GoTo = lazy(() => import('./GoTo'))
const KeyList = lazy(() => import('./KeyList'))

export function Mark(): ReactElement {
  return (
    <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true">
      <path d="M2 6C6 2 12 2 16 5" stroke="var(--spruce)" strokeWidth="3" fill="none" />
      <path d="M9 4V17" stroke="var(--ink)" strokeWidth="2.4" />
    </svg>
  )
}

/** The page's frame: environment and go-to above, places on the left, what is running now at the foot. */
export function Shell(): ReactElement {
  const { session, environment, setEnvironment, signOut, night, setNight } = useHere()
  const [going, setGoing] = useState(false)
  const [listing, setListing] = useState(false)
  const [unfolded, setUnfolded] = useState(false)
  const [menu, setMenu] = useState<HTMLElement | null>(null)
  const location = useLocation()
  const morning = useAnswer(routes.morning, { query: { environment } }, { refreshInterval: 60_000 })
  useFreshRuns()
  useKeys(useMemo(() => ({ '/': () => setGoing(true), '?': () => setListing(true) }), []))
  const counts = {
    decisions: morning.data?.decisions.filter(({ quietUntil }) => quietUntil === null).length ?? 0,
  }
  return (
    <div className={unfolded ? 'frame open' : 'frame'}>
      <a href="#main" className="skip">
        to the page
      </a>
      <header>
        <Button
          sx={{ '@media (min-width: 1024px)': { display: 'none' } }}
          aria-label="places"
          aria-expanded={unfolded}
          onClick={() => setUnfolded(!unfolded)}
        >
          places
        </Button>
        <Link to="/" className="mark">
          <Mark />
          Mattock
        </Link>
        <div className="environments" role="group" aria-label="environment">
          {session.environments.map(({ name, live }) => (
            <ButtonBase
              key={name}
              className={live ? 'live' : ''}
              aria-pressed={name === environment}
              onClick={() => setEnvironment(name)}
            >
              {name}
            </ButtonBase>
          ))}
        </div>
        <span className="soft organisation">{session.organisation}</span>
        <Button
          onClick={() => setGoing(true)}
          sx={{
            width: 260,
            ml: 'auto',
            justifyContent: 'space-between',
            color: 'var(--soft)',
            bgcolor: 'var(--paper)',
            borderColor: 'var(--rule) !important',
          }}
        >
          go to a job, table, run… <span className="mono">/</span>
        </Button>
        <Button variant="text" aria-haspopup="menu" onClick={(event) => setMenu(event.currentTarget)}>
          {session.account?.name}
        </Button>
        <Menu open={menu !== null} anchorEl={menu} onClose={() => setMenu(null)}>
          <MenuItem onClick={() => setNight(!night)}>{night ? 'day sheet' : 'night sheet'}</MenuItem>
          <MenuItem
            onClick={() => {
              setMenu(null)
              setListing(true)
            }}
          >
            keys
          </MenuItem>
          <MenuItem component={Link} to="/kept" onClick={() => setMenu(null)}>
            what is kept
          </MenuItem>
          <MenuItem onClick={signOut}>sign out</MenuItem>
        </Menu>
      </header>
      <nav className="places" aria-label="places">
        {rooms.map(([room, list]) => (
          <Fragment key={room}>
            <h3>{room.toUpperCase()}</h3>
            {list.map((place) => (
              <NavLink
                key={place.path}
                to={place.path}
                end
                className={belongsTo(place, location.pathname) ? 'active' : ''}
              >
                {place.name} {place.counts && counts[place.counts] > 0 && <b>{counts[place.counts]}</b>}
              </NavLink>
            ))}
          </Fragment>
        ))}
      </nav>
      <main id="main" tabIndex={-1}>
        <Suspense fallback={<Waiting what="opening" />}>
          <Outlet />
        </Suspense>
      </main>
      <Foot />
      <Suspense>
        {going && <GoTo onClose={() => setGoing(false)} />}
        {listing && <KeyList onClose={() => setListing(false)} />}
      </Suspense>
    </div>
  )
}

/** Less than a breath, or more than two days: nobody plans by that. */
const worthSaying = (seconds: number): boolean => seconds >= 5 && seconds < 48 * 3600

/** What is running now, always. */
function Foot(): ReactElement {
  const { data, error } = useAnswer(routes.now, {}, { refreshInterval: 5000, keepPreviousData: true })
  const [run, ...more] = data?.runs ?? []
  return (
    <footer aria-label="now">
      {error && <span className="bad">{error.message}</span>}
      {!error && !run && data && <span>nothing is running</span>}
      {run && (
        <>
          <Progress done={run.done} running={run.running} failed={run.failed} total={run.total} />
          <span>
            <b>
              <Link to={`/runs/${run.id}`}>{run.title}</Link>
            </b>{' '}
            run {run.id} in {run.environment} · {numberText(run.done)} of {numberText(run.total)} loads done
            {run.running > 0 && ` · ${run.running} running`}
            {run.failed > 0 && ` · ${numberText(run.failed)} failed`}
            {run.left !== null && worthSaying(run.left) && ` · some ${lengthText(run.left)} left`}
          </span>
          {more.length > 0 && <Link to="/ledger?state=running">and {more.length} more</Link>}
        </>
      )}
      {data?.background && (
        <span>
          · {data.background.label}: day {data.background.done} of {data.background.total}
        </span>
      )}
      {data && (
        <span style={{ marginLeft: 'auto' }} className={data.workers.count === 0 ? 'bad' : undefined}>
          {data.workers.count === 0
            ? 'no worker is running'
            : `${data.workers.count} ${data.workers.count === 1 ? 'worker' : 'workers'} · ${data.workers.busy} of ${data.workers.capacity} busy`}
        </span>
      )}
    </footer>
  )
}
