greeting = lambda name: {"code": 200, "fields": {"content-type": "text/plain; charset=utf-8"}, "content": "Hello, " + name}
pick = lambda event: event["call"]["first"].get("name", "you")


def run(event, ctx):
    return greeting(pick(event))
