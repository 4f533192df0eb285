import GlobalStyles from '@mui/material/GlobalStyles'
import { ThemeProvider } from '@mui/material/styles'
import { lazy, Suspense, useEffect, useMemo, useState, type ReactElement } from 'react'
import { createBrowserRouter, RouterProvider } from 'react-router'
import { SWRConfig } from 'swr'
import { routes } from '../contract/routes'
import { ApiFault, call, useAnswer } from './data/api'
import { invitationIn } from './data/invitation'
import { HereContext, type Session } from './data/session'
import { Notices } from './kit/Notice'
import { Textures } from './look/State'
import { makeTheme } from './look/theme'
import { cssTokens, day, night as nightTokens } from './look/tokens'
import { FaultBox } from './kit/Fault'
import { HealthStrip } from './frame/HealthStrip'
import { Shell } from './frame/Shell'
import { Undrawn } from './frame/Undrawn'
import { places, type Place } from './places'
import { SignIn } from './places/SignIn'

const page = ({ load }: Place) => {
  const Page = lazy(load)
  return <Page />
}

const router = createBrowserRouter([
  {
    element: <Shell />,
    children: places.map((place) => ({ path: place.path, element: page(place), errorElement: <Undrawn /> })),
  },
])

/** Seen once in the life of an installation. */
const FirstAccount = lazy(() => import('./places/FirstAccount'))

/** The parts of the kit in all their states; there while developing only (`npx vite`, then /kit). */
const Gallery = import.meta.env.DEV ? lazy(() => import('./gallery/Gallery')) : undefined

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
        <Notices>
          {Gallery && window.location.pathname === '/kit' ? (
            <Suspense>
              <Gallery />
            </Suspense>
          ) : (
            <>
              <Signed night={night} setNight={setNight} />
              <HealthStrip />
            </>
          )}
        </Notices>
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
  const [chosen, setChosen] = useState<string>()
  if (error) return <FaultBox error={error} />
  if (!data) return null
  if (!data.account) {
    const code = invitationIn(window.location)
    const onSignedIn = (session: Session) => void mutate(session, { revalidate: false })
    return code === undefined ? (
      <SignIn session={data} onSignedIn={onSignedIn} />
    ) : (
      <Suspense>
        <FirstAccount code={code} session={data} onSignedIn={onSignedIn} />
      </Suspense>
    )
  }
  const environment =
    data.environments.find(({ name }) => name === (chosen ?? data.start)) ?? data.environments[0]
  const here = {
    session: data,
    environment: environment?.name ?? '',
    live: environment?.live ?? false,
    setEnvironment: (name: string) => {
      setChosen(name)
      // where it cannot be kept, the next visit begins where the last one could be
      call(routes.keepForMe, { body: { environment: name } }).catch(() => {})
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
