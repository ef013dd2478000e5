"""Named changes to a show, as data: the same records serve remedies, the window's undo and the log."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from kymaphon.core.model.base import Model, WantKind
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Cable, Device, LogEntry, Party, Setting, Show, Take, Want, same_socket
from kymaphon.core.model.talk import Circuit

_Named = TypeVar("_Named", Device, Party)


@dataclass(frozen=True, slots=True)
class SetValue:
    """One value of one strip, crosspoint or control. `value` None puts it back to the kind's default."""

    ref: SettingRef
    value: float | bool | str | tuple[Model, ...] | None

    def apply(self, show: Show) -> Show:
        """Raises KeyError for an unknown device, pydantic.ValidationError for a value out of range."""
        devices = list(show.devices)
        place = next((i for i, device in enumerate(devices) if device.id == self.ref.device), None)
        if place is None:
            raise KeyError(self.ref.device)
        device = devices[place]
        before = device.settings.get(self.ref.key, Setting())
        after = before.with_(**{self.ref.field: self.value})
        devices[place] = device.model_copy(update={"settings": {**device.settings, self.ref.key: after}})
        return show.model_copy(update={"devices": tuple(devices)})

    def to_json(self) -> dict[str, Any]:
        return {
            "set": f"{self.ref.device}.settings.{self.ref.key}.{self.ref.field}",
            "to": _plain(self.value),
        }


@dataclass(frozen=True, slots=True)
class SetWant:
    """What a listener should get of a voice."""

    listener: str
    voice: str
    want: WantKind
    gain_db: float = 0.0

    def apply(self, show: Show) -> Show:
        """Raises pydantic.ValidationError for a level out of range."""
        kept = [row for row in show.wants if (row.listener, row.voice) != (self.listener, self.voice)]
        want = Want(listener=self.listener, voice=self.voice, want=self.want, gain_db=self.gain_db)
        return show.model_copy(update={"wants": (*kept, want)})

    def to_json(self) -> dict[str, Any]:
        return {"want": self.want, "listener": self.listener, "voice": self.voice, "gain_db": self.gain_db}


@dataclass(frozen=True, slots=True)
class SetField:
    """One field of a row of the show (a party, device, place, ...), or of the show itself.

    Attributes:
        table: name of the list that the row is in, as `devices`; empty for the show itself.
        row: id of the row; None for the show itself.
        field, value: what is set, and to what; the row is validated anew.
    """

    table: str
    row: str | None
    field: str
    value: Any

    def apply(self, show: Show) -> Show:
        """Raises KeyError for an unknown row, pydantic.ValidationError for a value that does not fit."""
        if self.row is None:
            return show.with_(**{self.field: self.value})
        rows = list(getattr(show, self.table))
        for i, row in enumerate(rows):
            if row.id == self.row:
                rows[i] = row.with_(**{self.field: self.value})
                return show.model_copy(update={self.table: tuple(rows)})
        raise KeyError(self.row)

    def to_json(self) -> dict[str, Any]:
        owner = f"{self.table}.{self.row}." if self.row else ""
        return {"set": f"{owner}{self.field}", "to": _plain(self.value)}


def _plain(value: Any) -> Any:
    """Records as plain data, so that an edit can be printed."""
    if isinstance(value, Model):
        data = value.model_dump(mode="json", exclude_defaults=True, by_alias=True)
        # What tells one sort of record from another is never left out.
        return {"sort": value.sort, **data} if hasattr(value, "sort") else data
    return [_plain(row) for row in value] if isinstance(value, tuple | list) else value


@dataclass(frozen=True, slots=True)
class AddRow:
    """A new party, place, device or kind at the end of its table."""

    table: str
    row: Model

    def apply(self, show: Show) -> Show:
        """Raises ValueError when the id is taken."""
        rows = getattr(show, self.table)
        name = getattr(self.row, "id", None)
        if any(row.id == name for row in rows):
            raise ValueError(f"{name} is already there")
        return show.model_copy(update={self.table: (*rows, self.row)})

    def to_json(self) -> dict[str, Any]:
        return {
            "add": self.table,
            "row": self.row.model_dump(mode="json", exclude_defaults=True, by_alias=True),
        }


@dataclass(frozen=True, slots=True)
class RemoveRow:
    """A party, place, device or kind, taken out together with what only leads to it: its cables, its wants, and
    the names by which others refer to it.
    """

    table: str
    row: str

    def apply(self, show: Show) -> Show:
        """Raises KeyError for an unknown row, ValueError when others cannot do without it."""
        rows = getattr(show, self.table)
        kept = tuple(row for row in rows if row.id != self.row)
        if len(kept) == len(rows):
            raise KeyError(self.row)
        return _LOOSEN.get(self.table, _nothing)(show.model_copy(update={self.table: kept}), self.row)

    def to_json(self) -> dict[str, Any]:
        return {"remove": f"{self.table}.{self.row}"}


def _nothing(show: Show, gone: str) -> Show:
    return show


def _without_party(show: Show, gone: str) -> Show:
    circuits = tuple(_circuit_without(row, gone) for row in show.circuits)
    crew = tuple(row.with_(party=None) if row.party == gone else row for row in show.crew)
    wants = tuple(row for row in show.wants if gone not in (row.listener, row.voice))
    takes = tuple(row.with_(voice=None) if row.voice == gone else row for row in show.takes)
    devices = _cleared(show.devices, "party", gone)
    return show.model_copy(
        update={
            "wants": wants,
            "takes": takes,
            "devices": devices,
            "circuits": circuits,
            "crew": crew,
            "rundown": tuple(_segment_without(row, gone) for row in show.rundown),
        }
    )


def _segment_without(segment: Segment, gone: str) -> Segment:
    """A segment without a party: nobody opens it, it plays nothing, and its topics are everybody's."""
    if gone not in (*segment.open, *(row.party for row in segment.plays), *(row.party for row in segment.topics)):
        return segment
    return segment.with_(
        open=tuple(name for name in segment.open if name != gone),
        plays=tuple(row for row in segment.plays if row.party != gone),
        topics=tuple(row.with_(party=None) if row.party == gone else row for row in segment.topics),
    )


def _circuit_without(circuit: Circuit, gone: str) -> Circuit:
    """A circuit without a party; who was spoken for by it is spoken for by nobody."""
    if not any(gone in (row.party, row.spoken_for_by) for row in circuit.members):
        return circuit
    kept = (row for row in circuit.members if row.party != gone)
    rows = tuple(row.with_(spoken_for_by=None) if row.spoken_for_by == gone else row for row in kept)
    return circuit.with_(members=rows)


def _without_device(show: Show, gone: str) -> Show:
    cables = tuple(row for row in show.cables if gone not in (row.source_device, row.target_device))
    parties = tuple(
        row.with_(
            hears_on=None if row.hears_device == gone else row.hears_on,
            plays_on=None if row.plays_device == gone else row.plays_on,
        )
        for row in show.parties
    )
    devices = _cleared(show.devices, "host", gone)
    circuits = tuple(_circuit_off(row, gone) for row in show.circuits)
    lines = tuple(row for row in show.lines if PortId.of(row.at).device != gone)
    fixed = tuple(row for row in show.fixed_channels if PortId.of(row).device != gone)
    return show.model_copy(
        update={
            "cables": cables,
            "parties": parties,
            "devices": devices,
            "circuits": circuits,
            "lines": lines,
            "fixed_channels": fixed,
        }
    )


def _circuit_off(circuit: Circuit, gone: str) -> Circuit:
    """A circuit whose members use nothing of a device any more."""
    rows = []
    for row in circuit.members:
        held = {name: getattr(row, name) for name in ("key", "listen_key", "hears_on", "cue_light")}
        cleared = {name: None for name, value in held.items() if value and PortId.of(value).device == gone}
        rows.append(row.with_(**cleared) if cleared else row)
    return circuit if tuple(rows) == circuit.members else circuit.with_(members=tuple(rows))


def _without_place(show: Show, gone: str) -> Show:
    return show.model_copy(
        update={
            "parties": _cleared(_cleared(show.parties, "at_m", gone, "place"), "place", gone),
            "devices": _cleared(_cleared(show.devices, "at_m", gone, "place"), "place", gone),
        }
    )


def _without_kind(show: Show, gone: str) -> Show:
    users = [device.id for device in show.devices if device.kind == gone]
    if users:
        raise ValueError(f"{', '.join(users)} {'is' if len(users) == 1 else 'are'} of this kind")
    return show


def _without_circuit(show: Show, gone: str) -> Show:
    rows = tuple(
        row.with_(overrides=tuple(name for name in row.overrides if name != gone)) if gone in row.overrides else row
        for row in show.circuits
    )
    rundown = tuple(
        row.with_(talkback=tuple(name for name in row.talkback if name != gone)) if gone in row.talkback else row
        for row in show.rundown
    )
    return show.model_copy(update={"circuits": rows, "rundown": rundown})


def _without_line(show: Show, gone: str) -> Show:
    rows = tuple(row.with_(reserve_for=None) if row.reserve_for == gone else row for row in show.lines)
    return show.model_copy(update={"lines": rows})


def _without_hand(show: Show, gone: str) -> Show:
    rows = tuple(
        row.with_(who=tuple(name for name in row.who if name != gone)) if gone in row.who else row for row in show.tasks
    )
    return show.model_copy(update={"tasks": rows})


def _without_task(show: Show, gone: str) -> Show:
    rows = tuple(
        row.with_(after=tuple(name for name in row.after if name != gone)) if gone in row.after else row
        for row in show.tasks
    )
    return show.model_copy(update={"tasks": rows})


def _cleared(rows: tuple[_Named, ...], field: str, gone: str, by: str | None = None) -> tuple[_Named, ...]:
    return tuple(row.with_(**{field: None}) if getattr(row, by or field) == gone else row for row in rows)


_LOOSEN: dict[str, Callable[[Show, str], Show]] = {
    "parties": _without_party,
    "devices": _without_device,
    "places": _without_place,
    "kinds": _without_kind,
    "circuits": _without_circuit,
    "lines": _without_line,
    "crew": _without_hand,
    "tasks": _without_task,
}


@dataclass(frozen=True, slots=True)
class MoveRow:
    """A row of a table to another place in it: the order of a rundown is its meaning.

    Attributes:
        to: its position afterwards, from 0; beyond the end is the end.
    """

    table: str
    row: str
    to: int

    def apply(self, show: Show) -> Show:
        """Raises KeyError for an unknown row."""
        rows = getattr(show, self.table)
        moved = next((row for row in rows if row.id == self.row), None)
        if moved is None:
            raise KeyError(self.row)
        left = [row for row in rows if row is not moved]
        left.insert(min(max(self.to, 0), len(left)), moved)
        return show.model_copy(update={self.table: tuple(left)})

    def to_json(self) -> dict[str, Any]:
        return {"move": f"{self.table}.{self.row}", "to": self.to}


@dataclass(frozen=True, slots=True)
class AttachTake:
    """A measured take, added to the show; one of the same id is replaced."""

    take: Take

    def apply(self, show: Show) -> Show:
        kept = [row for row in show.takes if row.id != self.take.id]
        return show.model_copy(update={"takes": (*kept, self.take)})

    def to_json(self) -> dict[str, Any]:
        return {"take": self.take.id}


@dataclass(frozen=True, slots=True)
class DetachTake:
    """A take, taken off the show. The recording itself stays where it is."""

    take_id: str

    def apply(self, show: Show) -> Show:
        return show.model_copy(update={"takes": tuple(row for row in show.takes if row.id != self.take_id)})

    def to_json(self) -> dict[str, Any]:
        return {"detach_take": self.take_id}


@dataclass(frozen=True, slots=True)
class Plug:
    """A cable, plugged in. One that is in the same input, or in a side of it, is taken out; `beside` it stays, where an input
    mixes what comes.
    """

    cable: Cable
    beside: bool = False

    def apply(self, show: Show) -> Show:
        mine = self.cable
        if self.beside:
            kept = [row for row in show.cables if row.ends != mine.ends]
        else:
            # Of a large patch nearly all cables end in other devices.
            device = mine.target[: mine.target.index(".") + 1]
            kept = [
                row
                for row in show.cables
                if not (row.target.startswith(device) and same_socket(row.target, mine.target))
            ]
        return show.model_copy(update={"cables": (*kept, mine)})

    def to_json(self) -> dict[str, Any]:
        return {"plug": _plain(self.cable), **({"beside": True} if self.beside else {})}


@dataclass(frozen=True, slots=True)
class Unplug:
    """A cable, taken out, told by its two ends."""

    source: str
    target: str

    def apply(self, show: Show) -> Show:
        """Raises KeyError when there is no such cable."""
        kept = tuple(row for row in show.cables if row.target != self.target or row.source != self.source)
        if len(kept) == len(show.cables):
            raise KeyError(f"the cable from {self.source} to {self.target}")
        return show.model_copy(update={"cables": kept})

    def to_json(self) -> dict[str, Any]:
        return {"unplug": {"from": self.source, "to": self.target}}


@dataclass(frozen=True, slots=True)
class SetCable:
    """One value of one cable: `length_m`, `label`, `adapter`, `route_m`, `coiled`, `source` or `target`."""

    source: str
    target: str
    field: str
    value: Any

    def apply(self, show: Show) -> Show:
        """Raises KeyError when there is no such cable, pydantic.ValidationError for a value that does not fit."""
        rows = list(show.cables)
        for i, row in enumerate(rows):
            if row.ends == (self.source, self.target):
                rows[i] = row.with_(**{self.field: self.value})
                return show.model_copy(update={"cables": tuple(rows)})
        raise KeyError(f"the cable from {self.source} to {self.target}")

    def to_json(self) -> dict[str, Any]:
        return {
            "cable": {"from": self.source, "to": self.target},
            "set": self.field,
            "to": _plain(self.value),
        }


@dataclass(frozen=True, slots=True)
class AddLog:
    """A line of the log, at its end."""

    entry: LogEntry

    def apply(self, show: Show) -> Show:
        return show.model_copy(update={"log": (*show.log, self.entry)})

    def to_json(self) -> dict[str, Any]:
        return {"log": _plain(self.entry)}


Edit = (
    AddLog
    | SetValue
    | SetWant
    | SetField
    | AddRow
    | RemoveRow
    | MoveRow
    | AttachTake
    | DetachTake
    | Plug
    | Unplug
    | SetCable
)


def apply_all(show: Show, edits: tuple[Edit, ...]) -> Show:
    """All edits in order. Raises what the first that fails raises; the show given is untouched."""
    for edit in edits:
        show = edit.apply(show)
    return show
