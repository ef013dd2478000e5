"""Names in circuits, lines, crew and tasks that lead nowhere: told plainly, and the rest is computed."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any

from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.references import instead
from kymaphon.core.model.show import Show
from kymaphon.core.model.talk import Circuit


@dataclass(frozen=True, slots=True)
class NameProblem:
    """A name that leads nowhere.

    Attributes:
        owner: id of the row that names it.
        edit: puts the nearest name in its place, told by `label`; None where none is near.
    """

    owner: str
    title: str
    message: str
    label: str = ""
    edit: Edit | None = None


def talk_problems(show: Show, catalogue: Catalogue) -> Iterator[NameProblem]:
    """Every such name, in the order of the file."""
    parties = {row.id for row in show.parties}
    circuits = {row.id for row in show.circuits}
    for circuit in show.circuits:
        yield from _circuit(show, catalogue, circuit, parties)
        for name in circuit.overrides:
            if name not in circuits or name == circuit.id:
                rest = tuple(row for row in circuit.overrides if row != name)
                what = "itself" if name == circuit.id else f"no circuit called {name}{instead(name, circuits)}"
                yield NameProblem(
                    circuit.id,
                    f"{circuit.called} overrides {name}",
                    f"It overrides {what}.",
                    f"It overrides {name} no more",
                    SetField("circuits", circuit.id, "overrides", rest),
                )
    yield from _lines(show, catalogue)
    for hand in show.crew:
        if hand.party is not None and hand.party not in parties:
            yield _named("crew", hand.id, hand.name, "party", hand.party, parties)
    yield from _tasks(show)


def _named(table: str, owner: str, name: str, field: str, wrong: str, known: Collection[str]) -> NameProblem:
    near = get_close_matches(wrong, sorted(known), n=1)
    edit = SetField(table, owner, field, near[0] if near else None)
    return NameProblem(
        owner,
        f"{name} names {wrong}, who is not there",
        f"There is no {wrong}{instead(wrong, set(known))}",
        f"{near[0]} instead of {wrong}" if near else f"Without {wrong}",
        edit,
    )


def _circuit(show: Show, catalogue: Catalogue, circuit: Circuit, parties: set[str]) -> Iterator[NameProblem]:
    name = circuit.called
    devices = {row.id for row in show.devices}
    for member in circuit.members:
        if member.party not in parties:
            yield _member(
                circuit, member.party, "party", member.party, parties, f"{name} names {member.party}, who is not there"
            )
        if member.spoken_for_by is not None and member.spoken_for_by not in parties:
            yield _member(circuit, member.party, "spoken_for_by", member.spoken_for_by, parties)
        if member.cue_light is not None and member.cue_light not in devices:
            yield _member(circuit, member.party, "cue_light", member.cue_light, devices)
        for field in ("key", "listen_key"):
            reference = getattr(member, field)
            if reference:
                problem = key_problem(show, catalogue, reference)
                if problem:
                    yield _member(circuit, member.party, field, reference, keys_of(show, catalogue), problem)
        if member.hears_on:
            device, port, _ = PortId.of(member.hears_on)
            found = show.find_device(device)
            ends = [row.id for row in catalogue[found.kind].outputs] if found is not None else []
            if found is None or (port and port not in ends) or not ends:
                known = {f"{row.id}.{out.id}" for row in show.devices for out in catalogue[row.kind].outputs if out.ear}
                yield _member(circuit, member.party, "hears_on", member.hears_on, known)


def key_problem(show: Show, catalogue: Catalogue, reference: str) -> str:
    """What is wrong with a key's name; empty where it is one."""
    device_id, _, key = reference.partition(".")
    device = show.find_device(device_id)
    if device is None:
        return f"There is no device {device_id}{instead(device_id, {row.id for row in show.devices})}"
    kind = catalogue[device.kind]
    if kind.key(key) is not None:
        return ""
    path = kind.path(key)
    if path is not None and path.switch:
        return ""
    return f"{kind.name} has no key {key}{instead(key, {row.id for row in kind.keys})}"


def keys_of(show: Show, catalogue: Catalogue) -> set[str]:
    """Every key that a circuit can name."""
    return {f"{row.id}.{key.id}" for row in show.devices for key in catalogue[row.kind].keys}


def _member(
    circuit: Circuit, party: str, field: str, wrong: str, known: Collection[str], text: str = ""
) -> NameProblem:
    near = get_close_matches(wrong, sorted(known), n=1)
    taken = {row.party for row in circuit.members}
    if field == "party":
        rows: tuple[Any, ...] = tuple(
            row.with_(party=near[0]) if row.party == party else row
            for row in circuit.members
            if row.party != party or (near and near[0] not in taken)
        )
    else:
        rows = tuple(
            row.with_(**{field: near[0] if near else None}) if row.party == party else row for row in circuit.members
        )
    fits = near and (field != "party" or near[0] not in taken)
    return NameProblem(
        circuit.id,
        f"{circuit.called} names {wrong}, which is not there",
        text or f"There is no {wrong}{instead(wrong, set(known))}",
        f"{near[0]} instead of {wrong}" if fits else f"Without {wrong}",
        SetField("circuits", circuit.id, "members", rows),
    )


def _lines(show: Show, catalogue: Catalogue) -> Iterator[NameProblem]:
    ids = {row.id for row in show.lines}
    for line in show.lines:
        device_id, port, _ = PortId.of(line.at)
        device = show.find_device(device_id)
        name = line.called
        if device is None or port not in {row.id for row in catalogue[device.kind].inputs}:
            known = {
                f"{row.id}.{into.id}"
                for row in show.devices
                if catalogue[row.kind].is_line or catalogue[row.kind].is_call
                for into in catalogue[row.kind].inputs
                if into.domain != "digital"
            }
            near = get_close_matches(line.at, sorted(known), n=1)
            yield NameProblem(
                line.id,
                f"{name} begins at {line.at}, which is not there",
                f"No input is called {line.at}{instead(line.at, known)}",
                f"{near[0]} instead of {line.at}" if near else "",
                SetField("lines", line.id, "at", near[0]) if near else None,
            )
        if line.reserve_for is not None and (line.reserve_for not in ids or line.reserve_for == line.id):
            yield NameProblem(
                line.id,
                f"{name} is the reserve of {line.reserve_for}, which is no other line",
                f"There is no other line {line.reserve_for}{instead(line.reserve_for, ids - {line.id})}",
                f"{name} is no reserve",
                SetField("lines", line.id, "reserve_for", None),
            )


def _tasks(show: Show) -> Iterator[NameProblem]:
    tasks, crew, places = ({row.id for row in rows} for rows in (show.tasks, show.crew, show.places))
    for task in show.tasks:
        name = f'"{task.text[:40]}"'
        for field, known in (("after", tasks), ("who", crew)):
            for wrong in getattr(task, field):
                if wrong in known:
                    continue
                near = get_close_matches(wrong, sorted(known), n=1)
                rows = tuple(
                    dict.fromkeys(
                        near[0] if row == wrong else row for row in getattr(task, field) if row != wrong or near
                    )
                )
                yield NameProblem(
                    task.id,
                    f"{name} names {wrong}, which is not there",
                    f"There is no {'task' if field == 'after' else 'member of the crew'} {wrong}{instead(wrong, known)}",
                    f"{near[0]} instead of {wrong}" if near else f"Without {wrong}",
                    SetField("tasks", task.id, field, rows),
                )
        if task.place is not None and task.place not in places:
            yield _named("tasks", task.id, name, "place", task.place, places)
