import { gzipSync } from 'node:zlib'
import { entry, rows, type Entry } from './entry'

const columns = 'id integer, side text'
const two = rows('1|north', '2|south')

/** JSON (RFC 8259) in the shapes in which programs write tables; those of one library's `orient` are in outside.ts. */
export const documents: readonly Entry[] = [
  entry('list.json', '[{"id":1,"side":"north"},{"id":2,"side":"south"}]', columns, two),
  entry('pretty.json', JSON.stringify([{ id: 1, side: 'north' }, { id: 2, side: 'south' }], null, 2), columns, two),
  entry('lines.ndjson', '{"id":1,"side":"north"}\n{"id":2,"side":"south"}\n', columns, two),
  entry('lines-called-json.json', '{"id":1,"side":"north"}\n{"id":2,"side":"south"}\n', columns, two),
  entry('within.json', '{"page":1,"data":[{"id":1,"side":"north"},{"id":2,"side":"south"}]}', columns, two),
  entry('deep-within.json', '{"answer":{"page":1,"items":[{"id":1,"side":"north"},{"id":2,"side":"south"}]}}', columns, two),
  entry('one-object.json', '{"id":1,"side":"north"}', columns, rows('1|north')),
  entry('one-object-nested.json', '{"id":1,"side":"north","at":{"x":1.5}}', 'id integer, side text, at_x decimal', rows('1|north|1.5')),
  entry('one-in-list.json', '[{"id":1,"side":"north"}]', columns, rows('1|north')),
  entry('lists.json', '[["id","side"],[1,"north"],[2,"south"]]', columns, two),
  entry('lists-no-header.json', '[[1,"north"],[2,"south"]]', 'column_1 integer, column_2 text', two),
  entry('columns.json', '{"id":[1,2],"side":["north","south"]}', columns, two),
  entry('by-index.json', '{"id":{"0":1,"1":2},"side":{"0":"north","1":"south"}}', columns, two),
  entry('keyed.json', '{"a":{"id":1,"side":"north"},"b":{"id":2,"side":"south"}}', 'key text, id integer, side text', rows('a|1|north', 'b|2|south')),
  entry('split.json', '{"columns":["id","side"],"index":[0,1],"data":[[1,"north"],[2,"south"]]}', columns, two),
  entry('values.json', '[1,2,30]', 'value integer', rows('1', '2', '30')),
  entry('missing-fields.json', '[{"id":1},{"id":2,"side":"south"}]', columns, [['1', null], ['2', 'south']]),
  entry('nulls.json', '[{"id":1,"side":null},{"id":2,"side":"south"}]', columns, [['1', null], ['2', 'south']]),
  entry('several-kinds.json', '[{"id":1,"v":"a"},{"id":2,"v":2.50},{"id":3,"v":[1,{"x":"y"}]}]', 'id integer, v text', rows('1|a', '2|2.5', '3|[1,{"x":"y"}]')),
  entry('objects-within.json', '[{"id":1,"at":{"x":1,"y":2}},{"id":2,"at":{"x":3,"y":4}}]', 'id integer, at_x integer, at_y integer', rows('1|1|2', '2|3|4')),
  entry('lists-of-values.json', '[{"id":1,"tags":["a","b"]},{"id":2,"tags":[]}]', 'id integer, tags text', rows('1|["a","b"]', '2|[]')),
  entry('big-numbers.json', '[{"n":12345678901234567890.123},{"n":0.1}]', 'n decimal', rows('12345678901234567890.123', '0.1')),
  entry('big-in-columns.json', '{"n":[9007199254740993,0.1234567890123456789]}', 'n decimal', rows('9007199254740993', '0.1234567890123456789')),
  entry('escapes.json', '[{"t":"a\\nb\\u00e9\\ud83d\\ude00\\"c"}]', 't text', [['a\nbé😀"c']]),
  entry('booleans.json', '[{"b":true},{"b":false},{"b":null}]', 'b boolean', [['true'], ['false'], [null]]),
  entry('days.json', '[{"d":"2026-01-31"},{"d":"2026-02-01"}]', 'd date', rows('2026-01-31', '2026-02-01')),
  entry('mark.json', '\uFEFF[{"id":1,"side":"north"}]', columns, rows('1|north')),
  entry('packed.json.gz', gzipSync('[{"id":1,"side":"north"},{"id":2,"side":"south"}]'), columns, two),
  entry('packed-object.json.gz', gzipSync('{"id":1,"side":"north"}'), columns, rows('1|north')),
  entry('names-with-blanks.json', '[{"the id":1,"the side":"north"}]', 'the id integer, the side text', rows('1|north')),
] // prettier-ignore
