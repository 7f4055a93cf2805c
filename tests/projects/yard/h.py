from marrowby import folios


def summarise(sheet, apiary, day, prior, summary, told, log):
    rows = [line.split(",") for line in sheet.splitlines() if line]
    log.line("summarised", rows=len(rows))
    summary.set({"apiary": apiary, "day": day, "rows": len(rows), "before": prior})
    told.set(f"{apiary} {day}")


def hello(arrival, log):
    folios.file("members", {"who": arrival["who"]}, {"joined": arrival["clock"]})


def weight(asked, log):
    return {"mark": 200, "load": f"{asked['found']['hive']} {asked['asked'].get('day')}"}
