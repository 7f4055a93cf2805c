import asyncio
import json

ROUTES = {"high": ["pager", "mail"], "low": ["mail"]}


def channels_for(alert):
    routes = list(ROUTES.get(alert.get("level"), []))
    routes.extend(f"tag-{tag}" for tag in alert.get("tags", ()))
    return routes


async def respond(happening, services):
    if happening.type != "application/json":
        services.log("not JSON", type=happening.type, order=happening.order)
        await services.messages.send("odd", await happening.bytes(), media=happening.type or "")
        return
    alert = json.loads(await happening.bytes())
    targets = channels_for(alert)
    body = json.dumps({**alert, "from": happening.channel, "try": happening.attempt})
    await asyncio.gather(*(services.messages.send(target, body, media="application/json") for target in targets))
    services.log("sent", count=len(targets), region=(happening.headers or {}).get("region", "none"))
