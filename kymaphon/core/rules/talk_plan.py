"""Rules about the plan of the circuits: names that lead nowhere, people whom nobody reaches, what hangs on one box, who rigs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.model.edits import AddRow, Edit, SetField, apply_all
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.talk import Circuit, CircuitMember, Task
from kymaphon.core.rules.record import rule
from kymaphon.core.talk.cures import with_member
from kymaphon.core.talk.named import NameProblem, talk_problems
from kymaphon.core.talk.reach import in_an_emergency, lifelines, people
from kymaphon.core.words import counted
from kymaphon.core.work.plan import Undoable, undoable, work_of

SPARE = "talk-by-telephone"
"""Id of the circuit by telephone that remedies add."""
MOST_NAMED = 3
"""So many tasks that nobody can do are named in a finding."""


@rule("talk-unknown", stage="Talk", reads=("layout", "wants", "programme"))
def unknown_names(analysis: Computed) -> Iterator[Finding]:
    """A circuit, line or member of the crew that names what is not there; the rest is computed."""
    for row in talk_problems(analysis.show, analysis.catalogue):
        yield Finding(
            "talk-unknown",
            "fix",
            "Talk",
            (row.owner,),
            row.title,
            row.message if row.message[-1] in ".?" else f"{row.message}.",
            remedies=_renamed(row),
        )


def _renamed(row: NameProblem) -> tuple[Remedy, ...]:
    if row.edit is None:
        return ()
    return (Remedy("rename", row.label, "The name then leads somewhere.", (row.edit,)),)


@rule("circuit-mute", stage="Talk", reads=("layout", "wants"))
def nobody_speaks(analysis: Computed) -> Iterator[Finding]:
    """A circuit on which nobody may speak, or which nobody hears."""
    known = {row.id for row in analysis.show.parties}
    for circuit in analysis.show.circuits:
        rows = [row for row in circuit.members if row.party in known]
        word = "speak" if not any(row.speaks for row in rows) else "hear" if not any(row.hears for row in rows) else ""
        if not word:
            continue
        who = f"{len(rows)} on it and none of them" if rows else "nobody"
        edit = tuple(with_member(circuit, row.party, **{f"{word}s": True}) for row in rows[:1])
        yield Finding(
            "circuit-mute",
            "fix",
            "Talk",
            (circuit.id,),
            f"Nobody may {word} on {circuit.called}",
            f"{circuit.called} has {who} may {word}." if rows else f"{circuit.called} has nobody on it.",
            remedies=(
                Remedy("let", f"{analysis.party_name(rows[0].party)} may {word} on it", "Somebody then does.", edit),
            )
            if rows
            else (),
        )


@rule("talk-one-box", stage="Talk", reads=("feeds", "programme"))
def one_box(analysis: Computed) -> Iterator[Finding]:
    """One device whose loss takes every circuit down, with no telephone to fall back on."""
    on_it = {row.party for circuit in analysis.show.circuits for row in circuit.members}
    if len(analysis.show.circuits) < 2 or len(on_it) < 3:
        return
    for row in lifelines(analysis)[:1]:
        if row.of < 2 or len(row.circuits) < row.of:
            continue
        name = analysis.device_name(row.device)
        yield Finding(
            "talk-one-box",
            "fix",
            "Talk",
            (row.device,),
            f"All {row.of} circuits hang on {name}",
            f"Without {name} nobody talks to anybody: agree a call by telephone between those who lead, and write the numbers on the sheet.",
            (Derived("circuits lost with it", row.of, ""),),
            remedies=(_by_telephone(analysis, [row.id for row in people(analysis)]),),
        )


@rule("talk-unreached", stage="Talk", reads=("feeds", "programme"))
def unreached(analysis: Computed) -> Iterator[Finding]:
    """People whom nobody can tell anything in an emergency, or who can tell nobody."""
    if not analysis.show.circuits:
        return
    for row in in_an_emergency(analysis):
        if row.by and row.reaches:
            continue
        name = analysis.party_name(row.party)
        what = "reached by nobody" if not row.by else "heard by nobody"
        both = "; they can tell nobody anything either" if not row.by and not row.reaches else ""
        yield Finding(
            "talk-unreached",
            "fix",
            "Talk",
            (row.party,),
            f"{name} is {what} in an emergency",
            f"No circuit, not even with a message passed on once, {'gets through to' if not row.by else 'brings anything from'} {name}"
            f"{both}: who must stop, or must be stopped, has to be told.",
            remedies=(_by_telephone(analysis, [row.party]),),
        )


@rule("rigging-without-talk", stage="Talk", reads=("layout", "wants", "programme"))
def rigging_without_talk(analysis: Computed) -> Iterator[Finding]:
    """Those who rig and are on no circuit: the first circuit up is theirs (common practice)."""
    show = analysis.show
    on_it = {row.party for circuit in show.circuits for row in circuit.members}
    rigging = [row for row in show.crew if not row.does or {"rigging", "power", "communications"} & set(row.does)]
    there = {row.id for row in show.parties}
    missing = [row for row in rigging if row.party not in on_it & there]
    if not missing:
        return
    named = [row.party for row in missing if row.party is not None and row.party in there]
    rest = [row.name for row in missing if row.party not in there]
    more = f" {', '.join(rest)} is no party of the show yet, and can be on none." if rest else ""
    yield Finding(
        "rigging-without-talk",
        "fix",
        "Talk",
        tuple(row.id for row in missing),
        f"No circuit to {', '.join(row.name for row in missing)}, who rig",
        f"The first circuit up is the one to those who rig; the rest is plugged and checked over it.{more}",
        (Derived("of the crew on no circuit", len(missing), ""),),
        remedies=(_by_telephone(analysis, named),) if named else (),
    )


@rule("work-nobody", stage="Talk", reads=("layout", "wiring", "wants", "programme"))
def work_for_nobody(analysis: Computed) -> Iterator[Finding]:
    """Work before air that nobody of the crew can do: too few are given its sort, or somebody is named who is not of it."""
    tasks = work_of(analysis)
    rows = undoable(analysis.show, tasks)
    if not rows:
        return
    own = {row.id for row in analysis.show.tasks}
    first = [row for row in rows if not row.waits]
    waits = len(rows) - len(first)
    told = "; ".join(f"{row.task.text}: {row.why}" for row in first[:MOST_NAMED])
    if len(first) > MOST_NAMED:
        told += f"; and {len(first) - MOST_NAMED} more"
    if waits:
        told += f". {counted(waits, 'other task')} {'waits' if waits == 1 else 'wait'} for that"
    yield Finding(
        "work-nobody",
        "fix",
        "Talk",
        (*(row.task.id for row in rows if row.task.id in own), *(row.id for row in analysis.show.crew)),
        f"{counted(len(rows), 'task')} before air that nobody can do",
        f"{told}. Give somebody of the crew that work, or have more hands come.",
        (Derived("tasks that nobody can do", len(rows), ""),),
        remedies=tuple(_given(analysis, first, tasks)),
    )


def _given(analysis: Computed, rows: Sequence[Undoable], tasks: Sequence[Task]) -> Iterator[Remedy]:
    """Who of the crew could also do what too few can: one sort of work given to one of them, the one that opens most first."""
    show, out = analysis.show, []
    for sort in dict.fromkeys(row.task.sort for row in rows):
        for member in show.crew:
            if not member.does or sort in member.does:
                continue
            edit = SetField("crew", member.id, "does", (*member.does, sort))
            left = len(undoable(apply_all(show, (edit,)), tasks))
            effect = f"{counted(left, 'task')} then {'is' if left == 1 else 'are'} left that nobody can do."
            if not left:
                effect = "Somebody then can do each of them."
            label = f"{member.name} also does {sort.replace('-', ' ')}"
            out.append((left, Remedy(f"give-{member.id}-{sort}", label, effect, (edit,))))
    now = len(undoable(show, tasks))
    yield from (row for left, row in sorted(out, key=lambda pair: pair[0]) if left < now)


def _by_telephone(analysis: Computed, who: list[str]) -> Remedy:
    """A circuit by telephone for some people, and for whoever leads: nothing of the rig is needed for it."""
    show = analysis.show
    known = next((row for row in show.circuits if row.id == SPARE), None)
    leads = [row.party for circuit in show.circuits[:1] for row in circuit.members if row.speaks][:1]
    rows = known.members if known is not None else ()
    there = {row.id for row in show.parties}
    names = [name for name in dict.fromkeys((*(row.party for row in rows), *leads, *who)) if name in there]
    members = tuple(
        next((row for row in rows if row.party == name), None) or CircuitMember(party=name, by="telephone")
        for name in names
    )
    edit: Edit = (
        SetField("circuits", SPARE, "members", members)
        if known is not None
        else AddRow("circuits", Circuit(id=SPARE, name="By telephone", purpose="emergency", members=members))
    )
    people_ = ", ".join(analysis.party_name(name) for name in names)
    return Remedy(
        "telephone",
        f"A circuit by telephone: {people_}" if len(names) < 6 else f"A circuit by telephone for {len(names)} people",
        "Needs nothing of the rig. Exchange numbers, and charge the telephones.",
        (edit,),
    )
