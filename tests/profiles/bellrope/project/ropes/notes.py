import json

from bellrope import Answer, Gone, Muffled


class Add:
    def ready(self, tower):
        self.tower = tower
        self.least = int(tower.setting("LEAST"))

    async def ring(self, bell):
        (hive,) = bell.hole
        try:
            note = await bell.json()
        except ValueError:
            raise Muffled(400, "not JSON")
        if len(note.get("text", "")) < self.least:
            return Answer({"error": "too short"}, 422)
        by = next((one["v"] for one in bell.heads if one["k"] == "X-By"), bell.crumbs.get("sid", "nobody"))
        try:
            old = json.loads((await self.tower.shelves.take("notes", f"{hive}.json")).octets)
        except Gone:
            old = []
        await self.tower.cards.file("notes", {"hive": hive}, {"notes": [*old, {"by": by, **note}]})
        self.tower.write("added", hive=hive, count=len(old) + 1)
        return Answer(
            {"hive": hive, "count": len(old) + 1},
            201,
            [("Location", f"/hives/{hive}/notes")],
            crumbs=[{"name": "seen", "value": "1", "http_only": True}],
        )
