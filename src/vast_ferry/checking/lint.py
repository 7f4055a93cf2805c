"""Linting a profile: every law on every kind, and the profile translated to and from every profile that ships."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from vast_ferry.checking.answers_seen import AnswerSeen, answers_seen
from vast_ferry.definitions.writing_back import PROJECT, definition_lost
from vast_ferry.events.unread import not_read
from vast_ferry.evidence.witnesses import Fact, evidence_folder, facts, unread
from vast_ferry.hub.extras import require
from vast_ferry.hub.fields import OF_THE_CALL
from vast_ferry.hub.standards import CHANGES
from vast_ferry.mapping.delivery import untold
from vast_ferry.mapping.losses import Broken
from vast_ferry.mapping.places import Attr
from vast_ferry.mapping.tables import EventShape, ReplyForm
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles, find_profile


@dataclass(frozen=True, slots=True)
class Linted:
    """One law, for one kind of event, and how it is broken, if it is; `other` is the other profile of a pair.

    `unseen` says what was not looked at, and why.
    """

    law: str
    kind: str
    broken: Broken | None = None
    other: str = ""
    unseen: str = ""


#: A pair of profiles is tried with a fifth of the events of one alone, and with so many at least.
LEAST = 20


def lint(profile: str | Profile, examples: int = 200) -> Iterator[Linted]:
    """Yield every law for every kind of a profile, on so many generated events each; a fifth of them with each other.

    A pair's law is yielded once where it holds with all others, and once for each profile with which it does not.
    Raises BadInput for an unknown profile, and where the package that generates events is not installed.
    """
    profile = find_profile(profile) if isinstance(profile, str) else profile
    yield from _evidence(profile)
    yield from _answers(profile)
    yield from _definition(profile)
    yield from _parts_of_answers(profile)
    yield from _parameters(profile)
    require("hypothesis", "lint", "generated events")
    from vast_ferry.mapping.laws_beside import check_client

    if not profile.kinds:
        why = "the profile describes no kind of event, so there is nothing that could be checked"
        yield Linted("there is something to check", "", Broken("there is something to check", "", why, {}))
    for kind in profile.kinds:
        yield from _of_kind(profile, kind, examples)
    broken_calls = [broken for client in profile.clients if (broken := check_client(client, examples))]
    if profile.clients:
        yield Linted("calls pass on what they are given", "services", broken_calls[0] if broken_calls else None)


def _of_kind(profile: Profile, kind: str, examples: int) -> Iterator[Linted]:
    """Yield the laws of a kind, alone and, where nothing is broken alone, with every other profile."""
    from vast_ferry.mapping.laws import SINGLE, check_pair, check_shape
    from vast_ferry.mapping.laws_beside import check_beside

    tables = profile.kinds[kind]
    alone = [*check_shape(tables.event, examples), *check_beside(tables, examples)]
    for law, broken in alone:
        yield Linted(law, kind, broken)
    yield from _words(kind, tables.event)
    law = "fused is read and write"
    if any(broken for name, broken in alone if name in SINGLE):
        why = "what is broken above would break it with every other profile: mend that first"
        yield Linted(law, kind, unseen=why)
        return
    failed = False
    for other in all_profiles():
        if other.name == profile.name or kind not in other.kinds:
            continue
        for one, two in ((profile, other), (other, profile)):
            broken = check_pair(one.kinds[kind].event, two.kinds[kind].event, max(LEAST, examples // 5))
            if broken:
                failed = True
                yield Linted(law, kind, broken, f"{one.name} → {two.name}")
    if not failed:
        yield Linted(law, kind)


def _words(kind: str, shape: EventShape) -> Iterator[Linted]:
    """Yield which words of the hub a provider has none for: one that was forgotten looks the same."""
    for row in shape.rows:
        without = [word for word in CHANGES.get(kind, ()) if word not in row.lens.words.values()]
        if row.field == "change" and row.lens.words and without:
            why = (
                f"no word (line {row.line}) is for {' and '.join(without)}: give it one, if the provider tells of that"
            )
            yield Linted("there is a word for each change", kind, unseen=why)


def _evidence(profile: Profile) -> Iterator[Linted]:
    """Yield whether recorded events mean what their evidence says, kind by kind, and are read whole."""
    law = "recorded events mean what they say"
    told: dict[str, list[Fact]] = {}
    for fact in facts(profile):
        told.setdefault(fact.kind, []).append(fact)
    for kind, found in told.items():
        wrong = [fact for fact in found if not fact.right]
        whys = []
        for fact in wrong:
            at = f" (row in line {fact.row})" if fact.row else ""
            why = f"{fact.file}: {fact.field} is {fact.wanted!r}, and was read as {fact.got!r}{at}"
            if fact.field in OF_THE_CALL:
                why = f"{fact.file}: {fact.field} is told of the call, not by an event: take it out of meaning.yaml"
            whys.append(fact.refused or why)  # which begins with the file
        for why in dict.fromkeys(whys):  # an event that can't be read is so for all its facts
            yield Linted(law, kind, Broken(law, kind, why, {}))
        if not wrong:
            yield Linted(law, kind)
    kinds = {fact.file: fact.kind for found in told.values() for fact in found}
    for file, keys in unread(profile).items():
        kind = kinds.get(file, "")
        law = "every key of recorded events is read"
        missing, partly = not_read(keys)
        if missing:
            yield Linted(law, kind, Broken(law, kind, f"{file}: no row reads {', '.join(missing)}", {}))
        if partly:
            yield Linted("what is read arrives as it stands there", kind, unseen=f"{file}: {', '.join(partly)}")


def _parameters(profile: Profile) -> Iterator[Linted]:
    """Yield which parameters no row fills, kind by kind."""
    for kind, tables in profile.kinds.items():
        for name in sorted(untold(tables)):
            why = f"no row says what {name} has: a handler that uses it is wrapped, and finds nothing there"
            yield Linted("every parameter is told of", kind, unseen=why)


def _answers(profile: Profile) -> Iterator[Linted]:
    """Yield whether handlers' answers are what their evidence says that others saw, kind by kind."""
    law = "answers are what was seen of them"
    told: dict[str, list[AnswerSeen]] = {}
    for one in answers_seen(profile):
        if one.unseen:
            yield Linted(law, one.kind, unseen=f"{one.file}:{one.line}: {one.unseen}")
        else:
            told.setdefault(one.kind, []).append(one)
    for kind, found in told.items():
        wrong = [one for one in found if not one.right]
        for one in wrong:
            parts = "; ".join(f"{what} was {wanted!r}, and came out as {got!r}" for what, wanted, got in one.differs)
            yield Linted(law, kind, Broken(law, kind, f"{one.file}:{one.line}: {parts}", {}))
        if not wrong:
            yield Linted(law, kind)


def _definition(profile: Profile) -> Iterator[Linted]:
    """Yield whether the definition of a project beside the evidence is read, and comes back when it is written."""
    folder = evidence_folder(profile)
    if folder is None or not (folder / PROJECT).is_dir() or not profile.model.definition:
        return
    law = "the definition comes back"
    lost = definition_lost(profile, folder / PROJECT)
    for why in lost:
        yield Linted(law, "", Broken(law, "", why, {}))
    if not lost:
        yield Linted(law, "")


def _parts_of_answers(profile: Profile) -> Iterator[Linted]:
    """Yield whether all that an answer's class takes is read: what no row reads would be lost without a word."""
    law = "all that an answer is made of is read"
    for kind, tables in profile.kinds.items():
        forms = [form for form in tables.answered.forms if form.class_name]
        unread = [(form, name) for form in forms for name in _unread_of(profile, form)]
        for form, name in unread:
            why = f"{form.class_name} takes {name}, and no row of line {form.line} reads it"
            yield Linted(law, kind, Broken(law, kind, why, {}))
        if forms and not unread:
            yield Linted(law, kind)


def _unread_of(profile: Profile, form: ReplyForm) -> list[str]:
    module, _, name = form.class_name.rpartition(".")
    model = profile.model.modules.get(module, {}).get(name)
    read = {step.name for row in form.rows for step in row.at.steps if isinstance(step, Attr)}
    return [one for one in (t.partition("=")[0] for t in model.takes) if one not in read] if model else []
