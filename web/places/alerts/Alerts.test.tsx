import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import Alerts from './Alerts'
import type { ListedRule, Message, Played } from './answers'

const rule = {
  name: 'on-call',
  title: 'On call',
  in: ['live'],
  zone: 'Europe/Oslo',
  tells: { matters: { about: ['failed'], after: 'PT5M', cleared: true } },
  to: [{ mail: { on: 'post', to: 'a@example.org' } }],
}
const listed = (more: Partial<ListedRule> = {}): ListedRule => ({
  rule,
  active: true,
  updatedBy: 'T. Holm',
  updatedAt: '2026-11-20T10:00:00.000Z',
  says: 'loads failed; once it stands for 5 min',
  to: ['a mail to a@example.org'],
  open: 2,
  sent: Array.from({ length: 30 }, (_, i) => (i === 29 ? 3 : 0)),
  failed: 0,
  latest: '2026-11-24T10:00:00.000Z',
  ...more,
})
const news: Message['told'][number]['news'] = { cause: 'failed x', kind: 'failed', job: 'gauges', title: 'Gauges: 3 loads failed', text: 'no table', count: 3, since: 0 } // prettier-ignore
const message: Message = {
  id: 7,
  rule: 'on-call',
  title: 'On call',
  at: '2026-11-24T10:00:00.000Z',
  type: 'mattock.alert',
  to: 'a mail to a@example.org',
  subject: 'live: Gauges: 3 loads failed',
  text: 'New\n- Gauges: 3 loads failed',
  told: [{ what: 'new', news }],
  state: 'failed',
  tries: 2,
  nextAt: '2026-11-24T10:03:00.000Z',
  said: 'the mail was not taken: no such address',
  endedAt: '2026-11-24T10:02:00.000Z',
}
const played: Played = {
  from: '2026-09-26T00:00:00.000Z',
  until: '2026-11-25T00:00:00.000Z',
  knownFrom: '2026-10-10T00:00:00.000Z',
  total: 2,
  messages: [
    { at: '2026-11-20T10:00:00.000Z', subject: 'live: over: Lab', told: [{ what: 'cleared', news }] },
    { at: '2026-11-20T09:00:00.000Z', subject: 'live: Lab', told: [{ what: 'new', news }] },
  ],
  days: Array.from({ length: 60 }, (_, i) => (i === 55 ? 2 : 0)),
}
const open = async (answers: Answers = {}, more: { role?: 'reader'; at?: string } = {}) => {
  const page = show(<Alerts />, {
    answers: {
      alerts: { rules: [listed()], people: ['a@example.org', 'b@example.org'] },
      alertMessages: { total: 1, messages: [message] },
      connections: [],
      playAlert: played,
      saveAlert: {},
      setAlert: {},
      tryAlert: {},
      dropAlert: {},
      sendAlertAgain: {},
      ...answers,
    },
    environment: 'live',
    path: '/',
    ...more,
  })
  await screen.findByRole('heading', { name: 'Alerts' })
  return page
}
const opened = { at: '/?rule=on-call' }

describe('alerts', () => {
  it('lists the rules with what stands under each, and what was sent', async () => {
    await open()
    const rules = screen.getByRole('grid', { name: 'rules' })
    expect(within(rules).getByText('On call')).toBeTruthy()
    expect(within(rules).getByText('loads failed; once it stands for 5 min')).toBeTruthy()
    expect(within(rules).getByRole('img', { name: '3 messages' })).toBeTruthy()
    expect(await screen.findByText('live: Gauges: 3 loads failed')).toBeTruthy()
    expect(screen.getAllByText('not taken').length).toBeGreaterThan(0)
  })
  it('says what it is for where there is none', async () => {
    await open({ alerts: { rules: [], people: [] }, alertMessages: { total: 0, messages: [] } })
    expect(screen.getByText(/Nobody is told of anything/)).toBeTruthy()
    expect(await screen.findByText(/Nothing was sent yet/)).toBeTruthy()
  })
  it('plays a rule over the last weeks, and again when it is changed', async () => {
    const page = await open({}, opened)
    expect(await screen.findByText(/It would have sent 2 messages/)).toBeTruthy()
    expect(screen.getByText('live: over: Lab')).toBeTruthy()
    expect(screen.getByText(/what stood is known since/)).toBeTruthy()
    const field = screen.getByLabelText(/once it stands/)
    fireEvent.change(field, { target: { value: 'PT1H' } })
    await waitFor(() =>
      expect(page.bodies('playAlert').at(-1)).toMatchObject({ environment: 'live', rule: { tells: { matters: { after: 'PT1H' } } } }),
    )
    // a rule that is not whole is not played
    fireEvent.change(field, { target: { value: 'soon' } })
    expect(await screen.findByText(/shown when it is whole/)).toBeTruthy()
  })
  it('keeps a rule as it was opened, and says what the server finds wrong beside its field', async () => {
    const page = await open({ saveAlert: fault('request', 'there is no connection "post"', { path: 'to.0.mail.on' }) }, opened)
    fireEvent.click(await screen.findByRole('button', { name: 'Keep' }))
    expect((await screen.findAllByText('there is no connection "post"')).length).toBeGreaterThan(0)
    expect(page.bodies('saveAlert')[0]).toMatchObject({ before: '2026-11-20T10:00:00.000Z', rule: { name: 'on-call' } })
  })
  it('makes a rule, with its name and whom it tells', async () => {
    const page = await open({}, { at: '/?rule=new' })
    await page.user.click(await screen.findByRole('button', { name: 'Make the rule' }))
    expect((await screen.findAllByText(/lower-case letters/)).length).toBeGreaterThan(0)
    expect(page.bodies('saveAlert')).toEqual([])
    fireEvent.change(screen.getByLabelText('name'), { target: { value: 'night' } })
    fireEvent.change(screen.getByLabelText('title'), { target: { value: 'Night' } })
    fireEvent.change(screen.getByLabelText('to 1 mail by'), { target: { value: 'post' } })
    await page.user.click(screen.getByRole('button', { name: 'Make the rule' }))
    await waitFor(() =>
      expect(page.bodies('saveAlert')).toMatchObject([
        { before: null, rule: { name: 'night', title: 'Night', in: ['live'], to: [{ mail: { on: 'post', to: 'ana@test.example' } }] } },
      ]),
    )
    expect(page.address()).toBe('/?rule=night')
  })
  it('sends a trial, lets a rule be silent, and takes it away with a way back', async () => {
    const page = await open({}, opened)
    fireEvent.click(await screen.findByRole('button', { name: 'Send a trial' }))
    await waitFor(() => expect(page.bodies('tryAlert')).toEqual([{ environment: 'live' }]))
    fireEvent.click(screen.getByRole('button', { name: 'Take it away' }))
    fireEvent.click(await screen.findByRole('button', { name: 'Undo' }))
    await waitFor(() => expect(page.bodies('saveAlert')).toMatchObject([{ before: null, rule: { name: 'on-call' } }]))
    await open({}, opened)
    fireEvent.click(await screen.findByRole('button', { name: 'Let it be silent' }))
    expect(await screen.findByText('On call is silent')).toBeTruthy()
  })
  it('shows what became of a message, and sends it once more', async () => {
    const page = await open()
    await page.user.dblClick(await screen.findByText('live: Gauges: 3 loads failed'))
    const panel = await screen.findByRole('region', { name: 'message' })
    expect(within(panel).getByText(/not taken, sent 2 times: the mail was not taken: no such address/)).toBeTruthy()
    fireEvent.click(within(panel).getByRole('button', { name: 'Send it once more' }))
    await waitFor(() => expect(page.asked.some(({ route }) => route === 'sendAlertAgain')).toBe(true))
  })
  it('offers nothing to change to who may only look', async () => {
    await open({}, { ...opened, role: 'reader' })
    expect(await screen.findByText(/It would have sent 2 messages/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'New rule' })).toBeNull()
    expect(screen.queryByRole('button', { name: 'Keep' })).toBeNull()
  })
}) // prettier-ignore
