import json


class Fill:
    def ready(self, tower):
        self.tower = tower

    async def ring(self, bell):
        again = []
        for tube, drops in bell.tubes.items():
            for drop in drops:
                try:
                    order = json.loads(drop.octets)
                except ValueError:
                    self.tower.write("torn", no=drop.no, tries=drop.tries)
                    again.append(drop.no)
                    continue
                card = await self.tower.cards.find("honey", {"kind": order["kind"]})
                if card is None:
                    again.append(drop.no)
                    continue
                await self.tower.tubes.drop("packing", json.dumps(order), marks=drop.marks)
        return again
