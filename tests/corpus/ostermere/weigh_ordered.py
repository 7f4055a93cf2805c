from lib.around import Problem, logged, problems


@problems
@logged
def run(event, ctx):
    if not event["call"]["first"].get("day"):
        raise Problem(400, "which day?")
    return {"code": 200, "content": event["call"]["slots"]["hive"]}
