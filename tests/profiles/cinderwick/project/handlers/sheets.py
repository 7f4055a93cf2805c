import json
from urllib.parse import unquote

import cinderwick


def summed(spark, hearth):
    bucket, _, rest = spark["where"].removeprefix("cellar://").partition("/")
    key = unquote(rest.partition("#")[0])
    cellar = cinderwick.cellar(bucket)
    rows = cellar.get(key).decode().splitlines()[1:]
    facts = dict(one.split("=", 1) for one in spark["facts"].split(";"))
    total = sum(int(row.split(",")[1]) for row in rows)
    cinderwick.cellar("sums").put(key + ".json", json.dumps({"total": total, "type": facts["type"]}), type="application/json")
