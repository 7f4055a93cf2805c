from typing import Any


def serve(call: dict[str, Any]) -> list[Any]:
    hive = call["matched"]["values"][0]
    return ["200 OK", {"Content-Type": ["text/plain"]}, f"{hive}: {call['request']}"]
