def run(event, ctx=None, debug=False):
    return {"code": 200, "content": event["call"]["slots"]["hive"] + str(debug)}
