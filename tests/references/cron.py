"""5,000 expressions of five fields, each with a zone and a time, and the next three times by croniter (python3-croniter
of Debian), for tests/references/cron.json. Its rule for days is told which one is asked for: crontab(5) takes either day
where both are restricted. Times near a change of the clock are asked for on the clock of UTC, and told apart by zoneinfo;
what a change does to a job is a rule of its own (cron(8)), and is checked beside."""
import json, random, sys
from datetime import datetime, timezone
from zoneinfo import ZoneInfo
from croniter import croniter

random.seed(20261127)
zones = ["UTC", "Europe/Oslo", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata", "Pacific/Apia", "America/Santiago"]
months = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
days = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"]


def field(least, most, names=(), star=0.5):
    if random.random() < star:
        return "*" if random.random() < 0.75 else f"*/{random.randint(1, max(2, (most - least) // 2))}"
    parts = []
    for _ in range(random.choice([1, 1, 1, 2, 3])):
        a, b = sorted((random.randint(least, most), random.randint(least, most)))
        kind = random.random()
        if kind < 0.6 or a == b:
            parts.append(names[a - least] if names and random.random() < 0.5 else str(a))
        elif kind < 0.8:
            parts.append(f"{a}-{b}")
        else:
            parts.append(f"{a}-{b}/{random.randint(1, b - a)}")
    return ",".join(parts)


cases = []
while len(cases) < 5000:
    expression = " ".join([
        field(0, 59, star=0.2), field(0, 23, star=0.4), field(1, 31, star=0.6), field(1, 12, months, star=0.8),
        field(0, 6, days, star=0.6)])
    fields = expression.split()
    # crontab(5): a field that begins with a star does not restrict; then both must hold
    either = not fields[2].startswith("*") and not fields[4].startswith("*")
    # croniter takes a list of every value for a star; crontab(5) speaks of the star itself
    if any(whole == ["*"] and not given.startswith("*") for whole, given in zip(croniter.expand(expression)[0], fields)):
        continue
    zone = ZoneInfo(random.choice(zones))
    at = datetime.fromtimestamp(random.randint(1735689600, 1861920000), tz=zone)
    wall = at.replace(tzinfo=None, fold=0)
    try:
        walk = croniter(expression, wall, day_or=either, max_years_between_matches=20)
        found = [walk.get_next(datetime) for _ in range(3)]
    except Exception:
        continue
    instants = [w.replace(tzinfo=zone).astimezone(timezone.utc) for w in found]
    # where the clock is changed between, what it does is another question
    plain = all(i.astimezone(zone).replace(tzinfo=None) == w and w.replace(tzinfo=zone, fold=1).utcoffset() == w.replace(tzinfo=zone).utcoffset()
                for i, w in zip(instants, found)) and at.replace(fold=1).utcoffset() == at.replace(fold=0).utcoffset()
    if not plain:
        continue
    cases.append([expression, str(zone), int(at.timestamp()), [int(i.timestamp()) for i in instants]])
json.dump(cases, sys.stdout, separators=(",", ":"))
