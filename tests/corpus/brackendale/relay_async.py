async def respond(happening, services):
    body = await happening.bytes()
    for copy in range(2):
        await services.messages.send(f"copy-{copy}", body, happening.type, {**happening.headers, "copy": str(copy)})
