from marrowby import folios


def run(arrival, log):
    day = arrival["hour"][:10]
    folios.file("nights", {"day": day}, {"name": bool(arrival["name"]), "late": arrival["clock"][:16] != arrival["hour"][:16]})
