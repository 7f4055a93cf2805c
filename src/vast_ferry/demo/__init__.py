"""The demo project: Lindenfold Apiaries, a made-up beekeepers' cooperative, as it stands at its provider."""

from __future__ import annotations

import shutil
from pathlib import Path

from vast_ferry.hub.findings import BadInput

#: Where the demo is carried unless someone says otherwise: a provider that has every kind of event that it uses.
TARGET = "thornwick"
PROJECT = Path(__file__).parent / "apiary"
#: The same cooperative, written natively for other providers; its samples are those of `PROJECT`.
NATIVE = {
    "ostermere": PROJECT,
    "thornwick": Path(__file__).parent / "apiary_at_thornwick",
    "quillhaven": Path(__file__).parent / "apiary_at_quillhaven",
}


#: The cooperative at its first provider, by the language in which it is written.
LANGUAGES = {"python": PROJECT, "javascript": Path(__file__).parent / "apiary_in_javascript"}


def copy_demo(folder: Path, language: str = "python") -> Path:
    """Copy the demo project into `folder` and return where it stands; raises BadInput if something stands there."""
    target = folder / "apiary"
    if target.exists() or (folder / "ported").exists():
        raise BadInput(f"{folder} already holds a demo", "Give another folder, or take away apiary and ported there")
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copytree(LANGUAGES[language], target, ignore=shutil.ignore_patterns("__pycache__"))
    return target
