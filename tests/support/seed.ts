import fc from 'fast-check'

// the same draws each time, so that a change is judged by the change; MATTOCK_SEED=random draws others, a number those of that
const given = process.env.MATTOCK_SEED
const seed = given === 'random' ? Date.now() | 0 : Number(given ?? 20_261_201)
fc.configureGlobal({ ...fc.readConfigureGlobal(), seed })
