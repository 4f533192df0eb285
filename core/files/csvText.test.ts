import { describe, expect, it } from 'vitest'
import { csvLine, csvSheetLine } from './csvText'

describe('a line of CSV', () => {
  it('comes in again as it went out (RFC 4180)', () => {
    expect(csvLine(['a', '=1+1', 'x,"y"', null, -5])).toBe('a,=1+1,"x,""y""",,-5\r\n')
  })
  // what programs for sheets take for a formula: OWASP, "CSV Injection"
  it.each(['=1+1', '+cmd', '-2+3', '@SUM(A1)', '\tx', '\rx', '=HYPERLINK("http://a.example")'])(
    'for sheets has no formula: %j',
    (text) => expect(csvSheetLine([text])).toMatch(/^"?'/),
  )
  it('for sheets has numbers as they are', () => {
    expect(csvSheetLine([-5, '-5', '+4.5', '-0,5', 'a=b', ''])).toBe('-5,-5,+4.5,"-0,5",a=b,\r\n')
  })
})
