import json


class Weigher:
    """Answers for one hive."""

    def __init__(self, event, ctx):
        self.event = event
        self.ctx = ctx
        self.hive = event["call"]["slots"]["hive"]

    def day(self):
        return self.event["call"]["first"].get("day", "today")

    def answer(self):
        day = self.day()
        self.ctx.note("weighing", hive=self.hive, day=day)
        if "unit" in self.event["call"]["first"]:
            return self.reply(200, {"hive": self.hive, "day": day, "unit": self.event["call"]["first"]["unit"]})
        return self.reply(200, {"hive": self.hive, "day": day})

    def reply(self, status, body):
        return {"code": status, "fields": {"content-type": "application/json"}, "content": json.dumps(body)}


def run(event, ctx):
    return Weigher(event, ctx).answer()
