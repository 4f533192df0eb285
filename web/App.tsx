import GlobalStyles from '@mui/material/GlobalStyles'
import { ThemeProvider } from '@mui/material/styles'
import { lazy, useEffect, useMemo, useState, type ReactElement } from 'react'
import { createBrowserRouter, RouterProvider } from 'react-router'
import { SWRConfig } from 'swr'
import { routes } from '../contract/routes'
import { ApiFault, call, useAnswer } from './data/api'
import { HereContext, type Session } from './data/session'
import { Textures } from './look/State'
import { makeTheme } from './look/theme'
import { cssTokens, day, night as nightTokens } from './look/tokens'
import { FaultBox } from './kit/Fault'
import { Shell } from './frame/Shell'
import { SignIn } from './places/SignIn'

const place = (load: () => Promise<{ default: () => ReactElement }>) => {
  const Place = lazy(load)
  return <Place />
}

const router = createBrowserRouter([
  {
    element: <Shell />,
    children: [
      { path: '/', element: place(() => import('./places/morning/Morning')) },
      { path: '/ledger', element: place(() => import('./places/ledger/Ledger')) },
      { path: '/runs/:id', element: place(() => import('./places/run/Run')) },
      { path: '/control', element: place(() => import('./places/control/ControlTables')) },
      { path: '/control/:name', element: place(() => import('./places/control/ControlTable')) },
      { path: '/jobs', element: place(() => import('./places/jobs/Jobs')) },
      { path: '/jobs-in', element: place(() => import('./places/jobs/BringInJobs')) },
      { path: '/jobs/:name', element: place(() => import('./places/jobs/Job')) },
      { path: '/tries/:id', element: place(() => import('./places/try/Try')) },
      { path: '/plans/:id', element: place(() => import('./places/plan/Plan')) },
      { path: '/connections/:name', element: place(() => import('./places/connections/Content')) },
      { path: '/surveys', element: place(() => import('./places/survey/Surveys')) },
      { path: '/surveys/:id', element: place(() => import('./places/survey/Survey')) },
      { path: '/catalog', element: place(() => import('./places/catalog/Catalog')) },
      { path: '/catalog/job', element: place(() => import('./places/catalog/OneJob')) },
      { path: '/catalog/:id', element: place(() => import('./places/catalog/Dataset')) },
      { path: '/connections', element: place(() => import('./places/connections/Connections')) },
      { path: '*', element: place(() => import('./places/Nowhere')) },
    ],
  },
])

const stored = (name: string): string | null => localStorage.getItem(`mattock.${name}`)

export function App(): ReactElement {
  const [night, setNight] = useState(
    () => (stored('night') ?? String(matchMedia('(prefers-color-scheme: dark)').matches)) === 'true',
  )
  const theme = useMemo(() => makeTheme(night ? 'dark' : 'light'), [night])
  useEffect(() => localStorage.setItem('mattock.night', String(night)), [night])
  return (
    <ThemeProvider theme={theme}>
      <GlobalStyles
        styles={{
          ':root': { ...cssTokens(night ? nightTokens : day), colorScheme: night ? 'dark' : 'light' },
        }}
      />
      <Textures />
      <SWRConfig
        value={{
          shouldRetryOnError: (error: unknown) =>
            !(error instanceof ApiFault) || error.status === 0 || error.status >= 500,
          errorRetryInterval: 2000,
          dedupingInterval: 300,
        }}
      >
        <Signed night={night} setNight={setNight} />
      </SWRConfig>
    </ThemeProvider>
  )
}

function Signed({
  night,
  setNight,
}: {
  night: boolean
  setNight: (night: boolean) => void
}): ReactElement | null {
  const { data, error, mutate } = useAnswer(routes.session, {})
  const [chosen, setChosen] = useState(stored('environment'))
  if (error) return <FaultBox error={error} />
  if (!data) return null
  if (!data.account)
    return (
      <SignIn session={data} onSignedIn={(session: Session) => void mutate(session, { revalidate: false })} />
    )
  const environment = data.environments.find(({ name }) => name === chosen) ?? data.environments[0]
  const here = {
    session: data,
    environment: environment?.name ?? '',
    live: environment?.live ?? false,
    setEnvironment: (name: string) => {
      localStorage.setItem('mattock.environment', name)
      setChosen(name)
    },
    night,
    setNight,
    signOut: () => {
      void call(routes.signOut).then(() => window.location.assign('/'))
    },
  }
  return (
    <HereContext.Provider value={here}>
      <RouterProvider router={router} />
    </HereContext.Provider>
  )
}
