import os
import sys
from urllib.parse import parse_qs

query = parse_qs(os.environ.get("QUERY_STRING", ""))
if "quiet" in query:
    print("Status: 204 No Content\n")
    sys.exit(0)
name = query.get("name", ["you"])[0]
print(f"Status: 200 OK\nContent-Type: text/plain\n\nHello, {name}", end="")
