// Answers at once, in a process of its own: how long it takes all the same is the machine's doing, not the server's.

import { createServer } from 'node:http'

const probe = createServer((_, answer) => answer.end('here'))
probe.listen(0, '127.0.0.1', () => process.send({ url: `http://127.0.0.1:${probe.address().port}/` }))
process.on('disconnect', () => process.exit(0))
