"""`carry` of 30,000 lines of TypeScript, rewritten in the target's idiom, beside a bare parse of the same files.

Run: .venv/bin/python benchmarks/rewriting_typescript.py [TARGET]
Printed: seconds, and how many times the bare parse.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from vast_ferry import carry, find_profile
from vast_ferry.definitions.writing import write_definition
from vast_ferry.documents.javascript_file import parsed
from vast_ferry.hub.functions import Entry, Function, Project, RouteTrigger

HANDLER = """import {{ helper{n} }} from "./lib/h{n}.ts";

interface Web {{ call: {{ slots: Record<string, string>; first: Record<string, string> }}; fields: Record<string, string>; content: string }}

/** Handle a note of hive {n}. */
export async function run(event: Web, ctx: unknown): Promise<object> {{
  const {{ hive }} = event.call.slots;
  const day: string = event.call.first.day ?? "none";
{body}
  if (!event.fields["content-type"]?.startsWith("application/json")) {{
    return {{ code: 415, content: "JSON please" }};
  }}
  const note = JSON.parse(event.content);
  return {{ code: 201, content: JSON.stringify({{ hive, day, note, more: helper{n}(note.text) }}) }};
}}
"""  # noqa: E501
LINE = """  const part{i}: number[] = [1, 2, {i}].map((one) => one * {i}); // a line
  if (part{i}.length > {i}) console.log(`${{part{i}.join('-')}} ${{hive}}`);"""
HELPER = "export function helper{n}(text: string): string {{\n{body}\n  return text;\n}}\n"
LINES = 30_000


def make(folder: Path) -> int:
    """Write a project of so many lines; return how many they are."""
    (folder / "lib").mkdir(parents=True)
    body = "\n".join(LINE.format(i=i) for i in range(60))
    inner = "\n".join(f"  if (text.length > {1000 + i}) text = text.slice({i});" for i in range(150))
    functions: list[Function] = []
    lines = 0
    while lines < LINES:
        n = len(functions)
        texts = {f"f{n}.ts": HANDLER.format(n=n, body=body), f"lib/h{n}.ts": HELPER.format(n=n, body=inner)}
        for path, text in texts.items():
            (folder / path).write_text(text)
            lines += text.count("\n")
        functions.append(Function(f"f{n}", Entry(f"f{n}.ts", "run"), (RouteTrigger(f"/f{n}/{{hive}}", ("POST",)),)))
    project = Project("big", functions=tuple(functions))
    for path, text in write_definition(project, find_profile("ostermere@1")).items():
        (folder / path).write_text(text)
    return lines


def main() -> None:
    """Print how long it takes."""
    target = sys.argv[1] if len(sys.argv) > 1 else "thornwick"
    with tempfile.TemporaryDirectory() as name:
        lines = make(Path(name, "big"))
        files = {str(path): path.read_bytes() for path in Path(name, "big").rglob("*.ts")}
        parsed(b"", "warm.ts")
        began = time.perf_counter()
        for path, content in files.items():
            parsed(content, path)
        bare = time.perf_counter() - began
        began = time.perf_counter()
        made = carry(Path(name, "big"), to=target, out=Path(name, "there"), source="ostermere@1")
        seconds = time.perf_counter() - began
        styles = {one.style for one in made.record.functions}
        ratio = f"{seconds / bare:.1f} of it"
        print(f"{lines:,} lines, bare parse {bare:.2f} s; carry to {target} {seconds:.2f} s, {ratio}, {styles}")


if __name__ == "__main__":
    main()
