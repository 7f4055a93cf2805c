class Moved:
    def ready(self, tower):
        self.tower = tower

    async def ring(self, bell):
        if bell.before and bell.after and bell.before["apiary"] != bell.after["apiary"]:
            await self.tower.tubes.drop("moves", f"{bell.card}: {bell.before['apiary']} -> {bell.after['apiary']}")
