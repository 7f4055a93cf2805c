import json
import os
from urllib.parse import parse_qs

days = parse_qs(os.environ["QUERY_STRING"]).get("day", [])
hive = json.loads(os.environ["FEN_FOUND"])["hive"]
print("Status: 200")
print("Content-Type: application/json")
print()
print(json.dumps({"hive": hive, "days": days, "unit": os.environ["UNIT"]}), end="")
