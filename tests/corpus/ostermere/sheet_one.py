"""Sums up a sheet: always one, so far."""
import urllib.parse

from ostermere import stores


def run(event, ctx):
    entry = event["batch"][0]
    name = urllib.parse.unquote_plus(entry["item"])
    lines = stores.fetch("sheets", name).splitlines()
    stores.put("sums", f"{name}.lines", str(len(lines)).encode())
    ctx.note("summed", bytes=entry["bytes"])
