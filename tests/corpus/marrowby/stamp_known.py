from http import HTTPStatus


def mood_of(visit):
    asked = visit["asked"].get("mood")
    return asked[-1] if asked else None


def run(visit, hive, log):
    mood = mood_of(visit)
    if hive is None and mood is None:
        return {"mark": HTTPStatus.NOT_FOUND.value, "load": b"unknown hive"}
    known = hive["mood"] if hive else "none"
    return {"mark": 200, "load": f"{visit['found']['hive']}: {known}, now {mood or known}"}
