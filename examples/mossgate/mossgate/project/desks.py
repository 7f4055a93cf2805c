"""The desks of the apiary: inspections that are written down, and orders."""

import base64
import json
from typing import Any


def take_inspection(event: Any, desk: Any) -> Any:
    seen = json.loads(base64.b64decode(event["load"]))
    desk.say("seen", by=seen["by"])
    return {"code": 201, "fields": {"location": f"/hives/{event['found'][0]}/inspections/1"}}


def take_orders(event: Any, desk: Any) -> Any:
    return [parcel["ref"] for parcels in event["lanes"].values() for parcel in parcels if not parcel["text"]]
