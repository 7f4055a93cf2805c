def run(event, ctx):
    if event["packed"]:
        return {"code": 415, "content": "text only"}
    return {"code": 200, "content": event["content"].upper()}
