import json
import sys

order = json.load(sys.stdin)
if order["grams"] < 1:
    sys.exit("an order of nothing")
print("packed", order["order"], file=sys.stderr)
