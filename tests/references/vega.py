"""Makes vega.json: for each CSV of the package vega-datasets, the rows and the sums of its columns by Python's csv module,
and the types that pandas infers. Run with Debian's python3-pandas: /usr/bin/python3 tests/references/vega.py"""
import csv, json, math, pathlib
import pandas

folder = pathlib.Path(__file__).parents[2] / 'node_modules' / 'vega-datasets' / 'data'
out = {'pandas': pandas.__version__, 'files': {}}
for path in sorted(folder.glob('*.csv')):
    frame = pandas.read_csv(path, low_memory=False)
    with open(path, newline='', encoding='utf-8-sig') as file:
        records = list(csv.reader(file))
    header, rows = records[0], [record for record in records[1:] if record]
    columns = []
    for i, name in enumerate(header):
        values = [record[i] for record in rows if i < len(record)]
        try:
            total = math.fsum(float(value) for value in values if value.strip() != '')
        except ValueError:
            total = None
        columns.append({
            'name': name,
            'pandas': str(frame.dtypes.iloc[i]),
            'blank': sum(1 for value in values if value.strip() == ''),
            'sum': total if total is not None and math.isfinite(total) else None,
        })
    out['files'][path.name] = {'rows': len(rows), 'columns': columns}
(pathlib.Path(__file__).parent / 'vega.json').write_text(json.dumps(out, indent=1) + '\n')
