from typing import Any


def serve(call: dict[str, Any]) -> None:
    print(call["topic"] if "topic" in call else call["url"])
