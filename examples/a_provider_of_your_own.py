"""A provider that Vast Ferry has never heard of: one profile file, and it has a translator, a stand-in and a check."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from vast_ferry import StandIn, carry, check, convert

PROFILE = """
provider: millrace
edition: 1
title: Millrace
about: A provider for this example; a handler takes a message and a helper, and answers a list.
handler: {parameters: [message, helper], event: [message]}
context:
  - {at: helper.tell(text), is: log}
  - {at: helper.hidden(name), is: secret}
  - {at: helper.seconds(), is: time_left}
http:
  event:
    rows:
      - {at: 'message["number"]', is: id}
      - {at: 'message["sent"]', is: time}
      - {at: 'message["do"]', is: method}
      - {at: 'message["by"]', is: scheme}
      - {at: 'message["of"]', is: authority}
      - {at: 'message["at"]', is: path.raw}
      - {at: 'message["pattern"]', is: route}
      - {at: 'message["found"]', is: captures}
      - {at: 'message["asked"]', is: query, as: pairs}
      - {at: 'message["lines"]', is: headers, as: pairs}
      - {at: 'message["load"]["bytes"]', is: body, as: text_or_base64, flag: 'message["load"]["base64"]'}
      - {at: 'message["from"]', is: client}
      - {at: 'message["user"]', is: principal, as: "keys(id=name, claims=rights)"}
  reply:
    forms:
      - when: mapping
        written: true
        default_types: [text/plain; charset=utf-8, application/octet-stream]
        rows:
          - {at: 'reply["result"]', is: status}
          - {at: 'reply["lines"]', is: headers, as: pairs, optional: true}
          - {at: 'reply["bytes"]', is: body, as: text_or_base64, flag: 'reply["base64"]', optional: true}
message:
  event:
    rows:
      - {at: 'message["number"]', is: id}
      - {at: 'message["sent"]', is: time}
      - {at: 'message["channel"]', is: channel}
      - {at: 'message["load"]["bytes"]', is: body, as: text_or_base64, flag: 'message["load"]["base64"]'}
      - {at: 'message["type"]', is: content_type}
      - {at: 'message["notes"]', is: attributes}
      - {at: 'message["lane"]', is: group}
      - {at: 'message["times"]', is: attempt}
  reply:
    forms:
      - {when: always, written: true, rows: []}
clients:
  millrace:
    tables.get: {does: record.read, takes: [table, key], rows: [{at: table, is: table}, {at: key, is: keys}]}
    tables.set:
      does: record.write
      takes: [table, key, row]
      rows: [{at: table, is: table}, {at: key, is: keys}, {at: row, is: record}]
    channels.put:
      does: message.send
      takes: [channel, data, media="", notes=None, lane=""]
      rows:
        - {at: channel, is: channel}
        - {at: data, is: body, as: bytes_or_text}
        - {at: media, is: content_type}
        - {at: notes, is: attributes, as: mapping_or_null}
        - {at: lane, is: group}
definition:
  file: millrace.yaml
  syntax: yaml
  name: works
  functions:
    at: wheels
    rows:
      - {at: handler, is: entry, as: "file_entry('@')"}
      - {at: env, is: variables}
      - {at: hidden, is: secrets, as: "reference('hidden:')"}
      - {at: seconds, is: timeout}
    triggers_at: turned_by
    triggers:
      - kind: http
        told_by: request
        rows:
          - {at: request, is: methods_and_route}
      - {kind: message, told_by: channel, rows: [{at: channel, is: source}]}
"""

HANDLER = """
from millrace import tables


def count(message, helper):
    seen = tables.get("seen", {"channel": message["channel"]}) or {"times": 0}
    tables.set("seen", {"channel": message["channel"]}, {"times": seen["times"] + 1})
    helper.tell("counted " + message["load"]["bytes"])
"""


#: A message as hub fields.
EMPTY = {"time": "", "body": b"", "content_type": "", "attributes": {}, "group": "", "attempt": 1, "extensions": {}}


def main() -> None:
    """Print an event in the new provider's shape, and the verdicts of the demo carried there."""
    from vast_ferry.demo import copy_demo

    with tempfile.TemporaryDirectory() as name:
        profile = Path(name, "millrace.yaml")
        profile.write_text(PROFILE)
        project = copy_demo(Path(name))
        captured = json.loads((project / "samples" / "hive_weight" / "captured.json").read_text())
        print(json.dumps(convert(captured, "ostermere@1", str(profile)).event))

        Path(name, "handlers.py").write_text(HANDLER)
        with StandIn(str(profile), name, "handlers.py#count") as stand_in:
            outcome = stand_in.call("message", {**EMPTY, "id": "1", "channel": "jars", "body": b"six"})
        print(outcome, *outcome.effects, *outcome.logs, sep="; ")

        carry(project, to=str(profile), out=Path(name, "ported"))
        result = check(Path(name, "ported"))
        for checked in result.checked:
            print(f"{checked.verdict}  {checked.function}/{checked.sample}")


if __name__ == "__main__":
    main()
