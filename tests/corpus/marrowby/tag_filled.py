def run(visit, tag, seen, log):
    by = next((value for name, value in visit["lines"] if name == "x-by"), "nobody")
    tag.set({"by": by})
    try:
        seen.set(f"{visit['found']['hive']} by {by}")
    finally:
        answer = {"mark": 204}
    return answer
