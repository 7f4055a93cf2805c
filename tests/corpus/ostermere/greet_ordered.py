from lib.around import logged, problems


@logged
@problems
def run(event, ctx):
    return {"code": 200, "content": f"Hello, {event['call']['first'].get('name') or 'you'}"}
