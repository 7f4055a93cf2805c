"""Sums up a sheet of inspections, and adds to what was known before."""


def run(sheet, apiary, day, prior, summary, told, log):
    """The sheet comes as text, what was known before as JSON."""
    rows = [line.split(",") for line in sheet.splitlines()[1:] if line.strip()]
    if not rows:
        log.line("an empty sheet", apiary=apiary, day=day)
        return
    frames = sum(int(frames) for _, frames in rows)
    best = max(frames, (prior or {}).get("frames", 0))
    summary.set({"apiary": apiary, "day": day, "frames": best, "hives": sorted(hive for hive, _ in rows)})
    if prior is None:
        told.set(f"{apiary}: first sheet, {day}")
    else:
        told.set(f"{apiary}: {frames - prior['frames']:+} frames")
