"""Writes habits.json: quantiles by pandas (linear interpolation), for the habit of arrivals.

Run with a Python that has pandas (Debian: python3-pandas): python3 tests/references/habits.py
"""

import json
import random
from pathlib import Path

import pandas

random.seed(20261127)
cases = []
for size in (5, 6, 7, 10, 28, 60):
    for _ in range(5):
        seconds = [round(random.gauss(19_000, 2_400), 3) for _ in range(size)]
        series = pandas.Series(seconds)
        cases.append({"seconds": seconds, "median": series.quantile(0.5), "late": series.quantile(0.9)})
Path(__file__).with_name("habits.json").write_text(
    json.dumps({"pandas": pandas.__version__, "cases": cases}) + "\n"
)
