def told(visit):
    answer = {"mark": 409, "load": None}
    answer.update({"mark": 206})
    if visit["asked"].get("unit") == ["lb"]:
        answer["mark"] = 202
    return answer


def run(visit, log):
    days = visit["asked"].get("day", [])
    if "" in days or "tue" in days:
        return told(visit)
    weighed = {"mark": 200}
    if days:
        weighed["load"] = f"weighed {visit['found']['hive']}"
    return weighed
