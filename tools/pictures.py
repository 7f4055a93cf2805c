"""What the pictures in docs/screenshots show: the commands, and the text of each, kept beside it as NAME.txt.

A test makes the texts anew and compares; where one differs its picture is stale: run tools/screenshots.sh, which makes
both, and look at every picture. `python tools/pictures.py` writes the texts alone.
"""

from __future__ import annotations

import contextlib
import html
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
#: The terminal in the pictures is so wide.
WIDTH = 158

#: picture → the command that it shows, as typed in the prepared folder
PICTURES = {
    "demo": "vast-ferry demo",
    "check": "vast-ferry check ported",
    "strength": "vast-ferry check ported --strength --deliveries --function record_inspection --function nectar_report",
    "profile-show": "vast-ferry profile show ostermere@1 --to wsgi --kind http",
    "survey": "vast-ferry survey apiary",
    "gaps": "vast-ferry gaps apiary --to brackendale",
    "check-page": "vast-ferry check ported --report checked.html",
    "call": "vast-ferry call ported honey_orders three",
    "import": "vast-ferry event import apiary pasted.txt --from ostermere@1 --redact by --dry-run",
    "serve": "sh served.sh",
    "carry": "vast-ferry carry apiary --to wsgi --out there",
    "try": "vast-ferry profile try mossgate-1.yaml spare.json --to ostermere",
    "answers": "vast-ferry profile try mossgate-1.yaml mossgate/seen.yaml",
    "lint": "vast-ferry profile lint mossgate-1.yaml --examples 50",
    "convert": "vast-ferry event convert apiary/samples/record_inspection/captured.json "
    "--from ostermere@1 --to brackendale",
    "fidelity-table": "vast-ferry profile fidelity",
    "fidelity": "vast-ferry profile fidelity",
    "cost": "vast-ferry gaps apiary --to brackendale --calls 20000000 --mean-ms 80 --gb-out 40",
    "side-by-side": "vast-ferry carry apiary --to thornwick --out beside --side-by-side page.html",
}

#: A project that is served, called, changed, and called again.
SERVED = """\
vast-ferry serve apiary --from ostermere@1 --port 8471 --ready-file ready &
while [ ! -e ready ]; do sleep 0.1; done
say() { echo; echo "\\$ $*"; sh -c "$*"; echo; }
say "curl -s 'http://127.0.0.1:8471/hives/h-7/weight?day=mon'"
here=http://127.0.0.1:8471
say "curl -s -o /dev/null -X POST $here/hives/h-7/inspections --json '{\\"by\\": \\"m-12\\", \\"frames\\": 8}'"
cp apiary/handlers/hives.py kept.py
say "sed -i s/last_seen/seen/ apiary/handlers/hives.py"
say "curl -s 'http://127.0.0.1:8471/hives/h-7/weight?day=mon'"
cp kept.py apiary/handlers/hives.py
kill -INT $!
wait
"""
#: Of these the program's own output is not what the picture shows, but a file that it writes.
FILES = {"side-by-side": "page.html", "check-page": "checked.html"}


def command(line: str, folder: Path) -> str:
    """Return what a command prints, in a folder, as wide as in the pictures."""
    words = [sys.executable, "-m", "vast_ferry", *line.split()[1:]]
    kept = {name: value for name, value in os.environ.items() if name not in ("FORCE_COLOR", "NO_COLOR")}
    done = subprocess.run(
        words, cwd=folder, capture_output=True, text=True, check=False, env={**kept, "COLUMNS": str(WIDTH)}
    )
    return done.stdout + done.stderr


#: What runs a command line in a folder and returns what it prints.
Runner = Callable[[str, Path], str]


def prepare(folder: Path, command: Runner = command) -> None:
    """Write into a folder what the commands are about: the demo, and a crossing of it in which two things are wrong.

    And the provider of the guide, with an event that has a key which no row reads, and an answer seen otherwise.
    """
    shutil.copytree(FOLDER.parent.parent / "examples" / "mossgate", folder, dirs_exist_ok=True)
    shutil.copy(FOLDER.parent.parent / "examples" / "pasted.txt", folder)
    (folder / "served.sh").write_text(SERVED)
    event = (folder / "mossgate" / "events" / "http-1.json").read_text()
    (folder / "spare.json").write_text(event.replace('"ref": "v-81",', '"ref": "v-81", "spare": {"hall": 3},'))
    answers = (folder / "mossgate" / "replies.yaml").read_text()
    (folder / "mossgate" / "seen.yaml").write_text(answers.replace("body: somebody was faster", "body: too late"))
    command("vast-ferry demo --out kept", folder)
    (folder / "kept" / "apiary").rename(folder / "apiary")
    command("vast-ferry carry apiary --to thornwick@1 --out ported", folder)
    for name, was, is_ in (("hives", '"kg": 1000', '"kg": 1024'), ("orders", 'send("packing"', 'send("packed"')):
        path = folder / "ported" / "handlers" / f"{name}.py"
        path.write_text(path.read_text().replace(was, is_))


def text_of(name: str, folder: Path, command: Runner = command) -> str:
    """Return the text of a picture."""
    if PICTURES[name].startswith("sh "):  # what it prints tells the time, and comes from two sides: the script speaks
        return (folder / PICTURES[name].removeprefix("sh ")).read_text(encoding="utf-8")
    printed = command(PICTURES[name], folder)
    if name in FILES:
        page = (folder / FILES[name]).read_text(encoding="utf-8")
        page = re.sub(r"<style.*?</style>|<figure.*?</figure>", " ", page, flags=re.DOTALL)  # a figure shows times
        printed = html.unescape(re.sub(r"<[^>]+>", " ", page))
    printed = re.sub(r"\d+\.\d ms", "1.0 ms", printed)  # how long it took is another each time
    printed = re.sub(r"\n {8,}this would: .*(\n {8,}\S.*)*", "", printed)  # how much is generated is the machine's
    return "\n".join(line.rstrip() for line in printed.splitlines() if line.strip()) + "\n"


def main() -> None:
    """Write the text of every picture."""
    with tempfile.TemporaryDirectory() as name:
        prepare(Path(name))
        for picture in PICTURES:
            (FOLDER / f"{picture}.txt").write_text(text_of(picture, Path(name)), encoding="utf-8")


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError):
        main()
