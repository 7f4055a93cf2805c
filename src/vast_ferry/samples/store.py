"""The samples of a project: `samples/FUNCTION/NAME.http` and `.json`, found and read one at a time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.http import HttpEvent
from vast_ferry.providers.profile import Profile
from vast_ferry.samples.http_message import LARGEST, read_request_file
from vast_ferry.samples.native import parse_json, read_native

FOLDER = "samples"


@dataclass(frozen=True, slots=True)
class Sample:
    """An event kept on file: which function it is for, its name, where it stands."""

    function: str
    name: str
    path: Path
    event: HttpEvent


def sample_files(folder: Path) -> Iterator[tuple[str, Path]]:
    """Yield (function, file) for every sample below a samples folder, in a fixed order.

    Raises BadInput for a file that is no kind of sample.
    """
    for function in sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith(".")):
        for path in sorted(function.rglob("*")):
            if path.is_dir() or path.name.startswith("."):
                continue
            if path.suffix not in (".http", ".json"):
                raise BadInput("this is no kind of sample", "Keep samples as NAME.http or NAME.json", Place(str(path)))
            yield function.name, path


def read_sample(function: str, path: Path, profile: Profile, folder: Path) -> Sample:
    """Return the sample in a file: a raw request, or a native event of `profile`."""
    name = path.relative_to(folder / function).as_posix() if path.is_relative_to(folder / function) else path.name
    if path.suffix == ".http":
        return Sample(function, name, path, read_request_file(path, f"{function}/{name}", str(path)))
    try:
        if path.stat().st_size > LARGEST:
            raise BadInput(f"the sample is larger than {LARGEST:,} bytes", "Keep a smaller one", Place(str(path)))
        data = path.read_bytes()
    except OSError as error:
        raise BadInput(f"the sample can't be read: {error.strerror}", "Check it", Place(str(path))) from None
    event = read_native(parse_json(data, str(path), "the sample"), profile, str(path))
    return Sample(function, name, path, event)
