from typing import Any


def serve(call: dict[str, Any]) -> None:
    print(call["slot"])
