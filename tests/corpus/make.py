"""Files of the corpus that outside programs write: pandas (to_csv, to_json, to_excel) and openpyxl, with what they say.

Run with Debian's python3-pandas and python3-openpyxl; it writes tests/corpus/files/ and truth.json. The truth is that
of the DataFrame that was written, or, of files that were not, that of pandas' and Python's own readers.
"""
import csv, datetime, io, json, os
import openpyxl, pandas

here = os.path.join(os.path.dirname(os.path.abspath(__file__)), 'files')
truth = []

def put(name, columns, rows, **more):
    truth.append({'name': name, 'columns': columns, 'rows': rows, **more})

def path(name):
    return os.path.join(here, name)

frame = pandas.DataFrame({
    'id': [1, 2, 3],
    'side': ['north', 'so"uth', 'a, b\nc'],
    'flow': [1.5, -0.25, 1234.125],
    'at': pandas.to_datetime(['2026-01-31', '2026-02-01', '2024-02-29']),
})
columns = 'id integer, side text, flow decimal, at date'
rows = [['1', 'north', '1.5', '2026-01-31'], ['2', 'so"uth', '-0.25', '2026-02-01'], ['3', 'a, b\nc', '1234.125', '2024-02-29']]
frame.to_csv(path('plain.csv'), index=False); put('plain.csv', columns, rows)
frame.to_csv(path('with-index.csv')); put('with-index.csv', 'column_1 integer, ' + columns, [[str(i)] + r for i, r in enumerate(rows)])
frame.to_csv(path('all-quoted.csv'), index=False, quoting=csv.QUOTE_ALL); put('all-quoted.csv', columns, rows)
frame.to_csv(path('german.csv'), index=False, sep=';', decimal=',', date_format='%d.%m.%Y'); put('german.csv', columns, rows)
frame.to_csv(path('escaped.csv'), index=False, doublequote=False, escapechar='\\'); put('escaped.csv', columns, rows)
frame.to_csv(path('crlf.csv'), index=False, lineterminator='\r\n'); put('crlf.csv', columns, rows)
frame.to_csv(path('tabs.tsv'), index=False, sep='\t'); put('tabs.tsv', columns, rows)
frame.to_csv(path('utf16.csv'), index=False, encoding='utf-16'); put('utf16.csv', columns, rows)
frame.to_csv(path('packed.csv.gz'), index=False, compression={'method': 'gzip', 'mtime': 0}); put('packed.csv.gz', columns, rows)
gaps = pandas.DataFrame({'id': [1, 2], 'n': [1.5, None], 'day': [None, datetime.date(2026, 2, 1)]})
gaps.to_csv(path('na.csv'), index=False, na_rep='NA'); put('na.csv', 'id integer, n decimal, day date', [['1', '1.5', None], ['2', None, '2026-02-01']])
gaps.to_csv(path('null.csv'), index=False, na_rep='NULL'); put('null.csv', 'id integer, n decimal, day date', [['1', '1.5', None], ['2', None, '2026-02-01']])
two = pandas.DataFrame([[1, 2, 3, 4], [5, 6, 7, 8]], index=['A', 'B'], columns=pandas.MultiIndex.from_product([['flow', 'level'], ['mean', 'max']]))
two.to_csv(path('two-lines.csv')); put('two-lines.csv', 'column_1 text, flow mean integer, flow max integer, level mean integer, level max integer', [['A', '1', '2', '3', '4'], ['B', '5', '6', '7', '8']])
plain = pandas.DataFrame({'id': [1, 2], 'side': ['north', 'south']})
for orient in ['records', 'split', 'columns', 'values']:
    plain.to_json(path(orient + '.json'), orient=orient)
named = 'id integer, side text'
both = [['1', 'north'], ['2', 'south']]
put('records.json', named, both); put('split.json', named, both); put('columns.json', named, both)
put('values.json', 'column_1 integer, column_2 text', both)
plain.set_index(pandas.Index(['a', 'b'])).to_json(path('index.json'), orient='index'); put('index.json', 'key text, ' + named, [['a'] + both[0], ['b'] + both[1]])
plain.to_json(path('lines.ndjson'), orient='records', lines=True); put('lines.ndjson', named, both)
plain.to_json(path('table.json'), orient='table', index=False); put('table.json', named, both)
frame.to_excel(path('excel.xlsx'), index=False); put('excel.xlsx', columns, rows)
two.to_excel(path('excel-two-lines.xlsx')); put('excel-two-lines.xlsx', 'column_1 text, flow mean integer, flow max integer, level mean integer, level max integer', [['A', '1', '2', '3', '4'], ['B', '5', '6', '7', '8']])

def book(name, fill, **more):
    made = openpyxl.Workbook()
    fill(made, made.active)
    made.save(path(name))

def merged(made, sheet):
    for row in [['side', 'flow', None, 'level', None], [None, 'mean', 'max', 'mean', 'max'], ['north', 1, 2, 3, 4], ['south', 5, 6, 7, 8]]:
        sheet.append(row)
    for of in ['A1:A2', 'B1:C1', 'D1:E1']:
        sheet.merge_cells(of)
book('merged.xlsx', merged); put('merged.xlsx', 'side text, flow mean integer, flow max integer, level mean integer, level max integer', [['north', '1', '2', '3', '4'], ['south', '5', '6', '7', '8']])

def from1904(made, sheet):
    made.epoch = openpyxl.utils.datetime.CALENDAR_MAC_1904
    sheet.append(['d', 'n'])
    sheet.append([datetime.datetime(2026, 1, 31), 1])
    sheet.append([datetime.datetime(2024, 2, 29), 2])
book('from-1904.xlsx', from1904); put('from-1904.xlsx', 'd date, n integer', [['2026-01-31', '1'], ['2024-02-29', '2']])

def clocks(made, sheet):
    sheet.append(['t', 'at', 'span'])
    for i, (t, at, span) in enumerate([(datetime.time(10, 5), datetime.datetime(2026, 1, 31, 10, 5, 7), 36.5), (datetime.time(23, 59, 59), datetime.datetime(2026, 2, 1, 0, 0, 0, 250000), 1.25)]):
        sheet.append([t, at, span / 24])
        sheet.cell(i + 2, 3).number_format = '[h]:mm:ss'
book('clocks.xlsx', clocks); put('clocks.xlsx', 't time, at timestamp, span text', [['10:05:00', '2026-01-31 10:05:07+00', '36:30:00'], ['23:59:59', '2026-02-01 00:00:00.25+00', '01:15:00']])

def errors(made, sheet):
    sheet.append(['id', 'v'])
    for i, v in enumerate([1.5, '#N/A', '#DIV/0!', 2]):
        sheet.append([i, v])
        if isinstance(v, str):
            sheet.cell(i + 2, 2).data_type = 'e'
book('errors.xlsx', errors); put('errors.xlsx', 'id integer, v decimal', [['0', '1.5'], ['1', None], ['2', None], ['3', '2']])

def formulas(made, sheet):
    sheet.append(['id', 'v'])
    sheet.append([1, '=A2*2'])
book('formulas.xlsx', formulas); truth.append({'name': 'formulas.xlsx', 'fault': 'a formula whose result was never kept'})

def digits(made, sheet):
    sheet.append(['code', 'n'])
    sheet.append(['00123', 0.1])
    sheet.append(['+47 22', 123456789.123456])
book('digits.xlsx', digits); put('digits.xlsx', 'code text, n decimal', [['00123', '0.1'], ['+47 22', '123456789.123456']])

def offset(made, sheet):
    sheet['C4'] = 'id'; sheet['D4'] = 'side'; sheet['C5'] = 1; sheet['D5'] = 'north'; sheet['C6'] = 2; sheet['D6'] = 'south'
book('offset.xlsx', offset); put('offset.xlsx', named, both)

with open(os.path.join(here, 'truth.json'), 'w') as out:
    json.dump(truth, out, indent=1, ensure_ascii=False)
