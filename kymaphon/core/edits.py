"""Named changes to a show, as data: the same records serve remedies, the window's undo and the log."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kymaphon.core.graph import SettingRef
from kymaphon.core.model import WantKind
from kymaphon.core.show import Setting, Show, Take, Want


@dataclass(frozen=True, slots=True)
class SetValue:
    """One value of one strip, crosspoint or control. `value` None puts it back to the kind's default."""

    ref: SettingRef
    value: float | bool | str | None

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
        return {"set": f"{self.ref.device}.settings.{self.ref.key}.{self.ref.field}", "to": self.value}


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
    """One top-level value of the show, or of one party or place."""

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
        return {"set": f"{owner}{self.field}", "to": self.value}


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


Edit = SetValue | SetWant | SetField | AttachTake | DetachTake


def apply_all(show: Show, edits: tuple[Edit, ...]) -> Show:
    """All edits in order. Raises what the first that fails raises; the show given is untouched."""
    for edit in edits:
        show = edit.apply(show)
    return show
