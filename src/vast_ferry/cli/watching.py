"""`check --watch`: what a change concerns is checked again, and nothing else, until a signal ends it."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

from vast_ferry.cli.options import emit

if TYPE_CHECKING:
    from vast_ferry.checking.result import CheckResult

#: Changes that come within so many milliseconds of each other are one.
_TOGETHER = 150
#: So many milliseconds it is waited for changes before a signal is looked for.
_LOOK = 500


def watching(
    crossing: Path,
    source: Path | None,
    functions: Sequence[str],
    form: str,
    run: Callable[[Sequence[str]], CheckResult],
) -> NoReturn:
    """Check, and check again what each change of either side concerns; never returns but by a signal."""
    from vast_ferry.checking.affected import affected
    from vast_ferry.hub.extras import require
    from vast_ferry.hub.findings import BadInput
    from vast_ferry.reports.data import check_data
    from vast_ferry.reports.terminal import say
    from vast_ferry.reports.text import check_text
    from vast_ferry.surveying.record import read_record

    require("watchfiles", "serve", "changes that are watched")
    import watchfiles

    record = read_record(crossing)
    project = source or Path(os.path.normpath(crossing / record.source.project))
    names = list(functions)
    changed: set[Path] = set()
    # It is begun before the first check: what changes while that runs is seen as well.
    changes = watchfiles.watch(
        crossing, project, step=_TOGETHER, rust_timeout=_LOOK, yield_on_timeout=True, raise_interrupt=True
    )
    next(changes)
    while True:
        try:
            if changed:
                concerned = affected(crossing, changed)
                names = [name for name in concerned if not functions or name in functions]
                said = ", ".join(sorted({path.name for path in changed})[:3])
                say(f"{said} changed: {', '.join(names) if names else 'of no function that is watched'}")
            if names or not changed:
                result = run(names)
                emit(form, check_data(result), check_text(result, str(crossing)))
                sys.stdout.flush()
        except BadInput as error:  # it may be mended by the next change
            say(str(error))
        say("watching; Ctrl-C ends it")
        changed = {Path(path) for _, path in next(filter(None, changes))}
