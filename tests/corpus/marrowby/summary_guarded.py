import statistics


def frames_of(text):
    found = []
    for number, line in enumerate(text.split("\n")):
        if number and "," in line:
            found.append(int(line.split(",")[1]))
    return found


def run(sheet, apiary, day, prior, summary, told, log):
    if not sheet:
        raise FileNotFoundError(f"{apiary}/{day}")

    def tell(text):
        log.line(text, apiary=apiary)
        told.set(f"[{apiary}] {text}")

    frames = frames_of(sheet)
    if not frames:
        return
    known = prior["frames"] if prior and "frames" in prior else None
    summary.set({"day": day, "frames": statistics.fmean(frames), "known": known})
    if known is not None and known > max(frames):
        tell("fewer than before")
    elif known is None:
        tell("new here")
