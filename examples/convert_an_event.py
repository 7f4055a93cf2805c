"""Turn an event that was captured at one provider into another provider's shape, and see what that shape can't hold."""

from __future__ import annotations

import json

from vast_ferry import convert
from vast_ferry.demo import PROJECT


def main() -> None:
    """Print the event as a WSGI environment, and its losses."""
    captured = json.loads((PROJECT / "samples" / "record_inspection" / "captured.json").read_text())
    converted = convert(captured, "ostermere@1", "wsgi")
    print(json.dumps(converted.event, indent=2))
    for loss in converted.losses:
        print(f"can't hold {loss}")


if __name__ == "__main__":
    main()
