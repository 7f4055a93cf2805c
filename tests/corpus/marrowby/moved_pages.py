from marrowby import folios


def run(arrival, log):
    changed = {name for name in arrival["after"] if arrival["after"][name] != arrival["before"].get(name)}
    folios.file("changes", {"order": arrival["order"]}, {"names": sorted(changed), "by": arrival["by"], "at": arrival["clock"]})
