"""The check's result in the forms that build servers read: JUnit's XML, and SARIF 2.1.0 (OASIS).

In JUnit's form a function is a suite and a sample a case. In SARIF each finding, and each sample that differs, is a
result at its line, so that it shows beside the code.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Final
from xml.etree import ElementTree as Xml

from vast_ferry import __version__
from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.result import Checked, CheckResult
from vast_ferry.hub.findings import Finding, Severity

#: What XML 1.0 §2.2 has no place for.
_NO_XML: Final = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
_SCHEMA: Final = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
_LEVELS: Final = {Severity.BLOCKING: "error", Severity.LOSS: "warning", Severity.TODO: "warning", Severity.NOTE: "note"}
#: verdict → what is said of it where it is no success
_SAID: Final = {
    Verdict.DIFFERS: "the carried function does something else",
    Verdict.UNHELD: "the answers differ, by what the target's shapes can't hold",
    Verdict.UNCHECKED: "there was nothing to compare",
}


def junit(result: CheckResult) -> str:
    """Return a check as JUnit's XML: a suite a function, a case a sample.

    What differs, or is unheld, is a failure; a sample that can't be read, and a function without any, an error; what
    was not compared is skipped.
    """
    functions: dict[str, list[Checked]] = {}
    for one in result.checked:
        functions.setdefault(one.function, []).append(one)
    top = Xml.Element("testsuites", name=f"{result.source} to {result.target}")
    totals = [0, 0, 0, 0]
    for name, samples in functions.items():
        suite = Xml.SubElement(top, "testsuite", name=name)
        kinds = [_case(suite, one) for one in samples]
        counts = [len(kinds), kinds.count("failure"), kinds.count("error"), kinds.count("skipped")]
        _count(suite, counts)
        totals = [one + other for one, other in zip(totals, counts, strict=True)]
    for name in result.without_samples:
        suite = Xml.SubElement(top, "testsuite", name=name)
        case = Xml.SubElement(suite, "testcase", classname=name, name="samples")
        Xml.SubElement(case, "error", type="unproven", message="there is no sample for this function")
        _count(suite, [1, 0, 1, 0])
        totals = [totals[0] + 1, totals[1], totals[2] + 1, totals[3]]
    _count(top, totals)
    Xml.indent(top)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + Xml.tostring(top, encoding="unicode") + "\n"


def _count(element: Xml.Element, counts: Sequence[int]) -> None:
    for name, count in zip(("tests", "failures", "errors", "skipped"), counts, strict=True):
        element.set(name, str(count))


def _case(suite: Xml.Element, one: Checked) -> str:
    case = Xml.SubElement(suite, "testcase", classname=_xml(one.function), name=_xml(one.sample))
    if one.file:
        case.set("file", _xml(one.file))
    kind = "" if one.verdict is Verdict.SAME else "failure"
    if one.verdict is Verdict.UNCHECKED:
        kind = "skipped" if one.read else "error"
    if kind:
        said = Xml.SubElement(case, kind, message=_xml(_message(one)))
        if kind != "skipped":
            said.set("type", str(one.verdict))
            said.text = _xml(_details(one))
    if one.output:
        Xml.SubElement(case, "system-out").text = _xml(one.output)
    return kind


def _xml(text: str) -> str:
    return _NO_XML.sub("\ufffd", text)


def _message(one: Checked) -> str:
    why = "; ".join(one.reasons) if one.reasons else "; ".join(each.at for each in one.differences)
    return f"{_SAID[one.verdict]}: {why}" if why else _SAID[one.verdict]


def _details(one: Checked) -> str:
    lines = [f"{each.at}\n  original: {each.expected}\n  carried:  {each.got}" for each in one.differences]
    return "\n".join([*lines, *one.reasons, f"original {one.expected}, carried {one.got}"])


def sarif(result: CheckResult, folder: Path, more: Sequence[Finding] = ()) -> dict[str, Any]:
    """Return a check as a SARIF log: findings (and `more` of them) and samples that are not the same, at their lines.

    Files stand in it as URIs; those below `folder` relative to it.
    """
    results = [*_of_findings([*result.findings, *more], folder), *_of_samples(result.checked, folder)]
    rules: dict[str, dict[str, Any]] = {}
    for one in results:
        about = one.pop("_about")
        rules.setdefault(one["ruleId"], {"id": one["ruleId"], "shortDescription": {"text": about}})
    order = list(rules)
    for one in results:
        one["ruleIndex"] = order.index(one["ruleId"])
    driver = {"name": "Vast Ferry", "semanticVersion": __version__, "rules": list(rules.values())}
    run = {
        "tool": {"driver": driver},
        "originalUriBaseIds": {"CROSSING": {"uri": f"{folder.resolve().as_uri()}/"}},
        "columnKind": "unicodeCodePoints",
        "results": results,
    }
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}


def _of_findings(findings: Sequence[Finding], folder: Path) -> Iterator[dict[str, Any]]:
    for one in findings:
        yield {
            "ruleId": one.code,
            "level": _LEVELS[one.severity],
            "message": {"text": f"{one.reason}. {one.remedy}."},
            "_about": one.code.replace("-", " "),
            **_at(one.place.file, one.place.line, folder),
        }


def _of_samples(checked: Sequence[Checked], folder: Path) -> Iterator[dict[str, Any]]:
    for one in checked:
        if one.verdict is Verdict.SAME:
            continue
        yield {
            "ruleId": str(one.verdict),
            "level": "error" if one.verdict is Verdict.DIFFERS else "warning",
            "message": {"text": f"{one.function} on {one.sample}: {_message(one)}\n{_details(one)}"},
            "partialFingerprints": {"sample/v1": f"{one.function}/{one.sample}"},
            "_about": _SAID[one.verdict],
            **_at(one.file, 1, folder),
        }


def _at(file: str, line: int, folder: Path) -> dict[str, Any]:
    if not file:
        return {}
    path = Path(os.path.normpath(file if Path(file).is_absolute() or Path(file).exists() else folder / file))
    where: dict[str, Any] = {"uri": path.resolve().as_uri()}
    if path.resolve().is_relative_to(folder.resolve()):
        relative = path.resolve().relative_to(folder.resolve())
        where = {"uri": Path("/", relative).as_uri().removeprefix("file:///"), "uriBaseId": "CROSSING"}
    physical: dict[str, Any] = {"artifactLocation": where}
    if line > 0:
        physical["region"] = {"startLine": line}
    return {"locations": [{"physicalLocation": physical}]}
