// Asks for what takes a server the longest, as somebody who is signed in: a process of its own, so that making it up
// takes no time of whoever measures.

const letters = 190_000
const many = (count, make) => Array.from({ length: count }, (_, i) => make(i))
const check = (text) => ['POST', '/api/jobs/check', { text }]
const cel = `${many(5, (i) => `${JSON.stringify(many(100, (n) => n))}.all(v${i}, `).join('')}true${')'.repeat(5)}`
const rosterOf = (roster) => `mattock: job/1
name: worst
title: Worst
parts:
  - each:
      roster: ${roster}
    do:
      - id: one
        sql: {on: warehouse, text: select 1}
`
const roster = (text) => ['POST', '/api/jobs/roster', { text, environment: 'dev', part: 0, parameters: {} }]

/** What is asked for, by name: method, path, body. */
const worst = {
  'open lists': () => [check('['.repeat(letters))],
  'ten thousand keys': () => [check(many(10_000, (i) => `k${i}: 1`).join('\n'))],
  'as many mistakes as letters': () => many(20, () => check('\ta: b\n'.repeat(letters / 6))),
  'seven million letters': () => [check('x'.repeat(7_000_000))],
  'lists in lists': () => [
    ['POST', '/api/jobs/check', `{"text":${'['.repeat(700_000)}${']'.repeat(700_000)}}`],
  ],
  'names without end': () => [
    ['POST', '/api/jobs/check', `{${many(80_000, (i) => `"k${i}":1,`).join('')}"text":"a"}`],
  ],
  'an expression of ten thousand million rounds': () => [
    roster(rosterOf(`{rows: [{a: 1}], where: "${cel}"}`)),
    roster(rosterOf(`{range: {as: n, from: 1, to: 1000000}, where: "${cel}"}`)),
  ],
  'a roster of millions': () => many(10, () => roster(rosterOf('{range: {as: n, from: 1, to: 100000000}}'))),
  'three hundred pages': () =>
    many(300, (i) => [
      'GET',
      ['/api/jobs', '/api/datasets?environment=dev', '/api/runs?limit=100', '/api/openapi.json'][i % 4],
    ]),
  'a search of wildcards': () =>
    many(20, () => ['GET', `/api/datasets?environment=dev&search=${encodeURIComponent('%_'.repeat(1500))}`]),
  'ten thousand rows of a control table': () => [
    [
      'POST',
      '/api/control',
      {
        name: `worst_${Date.now()}`,
        title: 'Worst',
        columns: [
          { name: 'k', type: 'text' },
          { name: 'v', type: 'text' },
        ],
        key: ['k'],
        rows: many(10_000, (i) => ({ k: `r${i}`, v: 'v' })),
      },
    ],
  ],
  'passwords of a million letters': () =>
    many(40, (i) => ['POST', '/api/session', { email: `a${i}@x.example`, password: 'x'.repeat(10_000) }]),
}

process.on('message', async ({ base, cookie, name }) => {
  if (name === '') return process.send({ names: Object.keys(worst) })
  const statuses = await Promise.all(
    worst[name]().map(async ([method, path, body]) => {
      const headers = { 'content-type': 'application/json', 'x-mattock': '1', cookie }
      const answer = await fetch(base + path, {
        method,
        headers,
        ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
      }).catch(() => ({ status: 0, text: () => '' }))
      await answer.text()
      return answer.status
    }),
  )
  process.send({ statuses })
})
process.send({ names: Object.keys(worst) })
