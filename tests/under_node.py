"""JavaScript run under Node, for tests: a module's functions called with plain values, and carried projects served."""

from __future__ import annotations

import base64
import contextlib
import json
import os
import socket
import subprocess
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from vast_ferry.standins.node_program import node_program

_RUN = """
import { readFileSync, writeFileSync } from "node:fs";
const [module, given, made] = process.argv.slice(2);
const inBase64 = (bytes) => ({ $bytes: Buffer.from(bytes).toString("base64") });
const plain = (_, value) => {
  if (value?.type === "Buffer" && Array.isArray(value.data)) return inBase64(value.data);
  if (value instanceof Uint8Array) return inBase64(value);
  if (typeof value === "bigint") return { $whole: String(value) };
  if (typeof value === "number" && !Number.isFinite(value)) throw new TypeError(`${value} is no JSON`);
  return value;
};
const held = (_, value) => {
  if (typeof value?.$bytes === "string") return Buffer.from(value.$bytes, "base64");
  return typeof value?.$whole === "string" ? BigInt(value.$whole) : value;
};
const functions = await import(module);
const results = [];
for (const [name, values] of JSON.parse(readFileSync(given, "utf8"), held)) {
  try {
    results.push([(await functions[name](...values)) ?? null]);
  } catch (error) {
    results.push(`${error.name}: ${error.message}`);
  }
}
writeFileSync(made, JSON.stringify(results, plain));
"""


def called(folder: Path, module: str, calls: Sequence[tuple[str, Sequence[Any]]]) -> list[Any]:
    """Return what calls of a module's exported functions give, one after the other; an error as its text."""
    (folder / "run.mjs").write_text(_RUN)
    (folder / "module.mjs").write_text(module)
    (folder / "given.json").write_text(json.dumps(calls, default=_plain))
    files = [folder / name for name in ("run.mjs", "module.mjs", "given.json", "made.json")]
    done = subprocess.run(
        [node_program(), *map(str, files)], capture_output=True, text=True, timeout=120, check=False, cwd=folder
    )
    assert done.returncode == 0, done.stderr
    results = json.loads((folder / "made.json").read_text(), object_hook=_held)
    return [one[0] if isinstance(one, list) else one for one in results]


def _plain(value: Any) -> Any:
    if isinstance(value, bytes):
        return {"$bytes": base64.b64encode(value).decode("ascii")}
    raise TypeError(type(value).__name__)


def _held(found: dict[str, Any]) -> Any:
    if found.keys() == {"$bytes"}:
        return base64.b64decode(found["$bytes"])
    return int(found["$whole"]) if found.keys() == {"$whole"} else found


@contextlib.contextmanager
def served(folder: Path, **environment: str) -> Iterator[str]:
    """Serve a carried project under Node, and give its address."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    env = {**os.environ, "PORT": str(port), **environment}
    program = [node_program(), "app.mjs"]
    with subprocess.Popen(program, cwd=folder, env=env, stdout=subprocess.PIPE, text=True) as server:
        try:
            assert server.stdout is not None
            assert server.stdout.readline().startswith("listening at")
            yield f"http://127.0.0.1:{port}"
        finally:
            server.terminate()


def typescript() -> Path:
    """Return where TypeScript's own compiler is, which the Makefile brings; nothing of the product needs it."""
    return Path(__file__).parents[1] / ".venv" / "typescript" / "node_modules"


def told_by_typescript(folder: Path) -> list[str]:
    """Return what TypeScript's compiler says of a project in its strict mode, but of packages that are not there."""
    own = typescript()
    options = {
        "strict": True, "noEmit": True, "allowJs": True, "module": "nodenext", "target": "es2024", "skipLibCheck": True,
        "allowImportingTsExtensions": True, "typeRoots": [str(own / "@types")], "types": ["node"],
    }  # fmt: skip
    (folder / "tsconfig.json").write_text(json.dumps({"compilerOptions": options}))
    command = [node_program(), str(own / "typescript" / "bin" / "tsc"), "-p", "."]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=120, check=False)
    (folder / "tsconfig.json").unlink()
    assert done.returncode in (0, 1, 2), done.stderr
    return [one for one in done.stdout.splitlines() if one and not one.startswith(" ") and "TS2307" not in one]
