from thornwick import Reply, ledgers


def run(request):
    key = {"hive": request.parts["hive"]}
    try:
        row = ledgers.look("hives", key)
    except KeyError:
        return Reply(status=404)
    else:
        if row.get("kept"):
            return Reply("kept", status=409)
    finally:
        request.run.say("asked", hive=key["hive"])
    ledgers.strike("hives", key)
