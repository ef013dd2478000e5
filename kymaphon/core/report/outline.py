"""A rig and its hearing in outline: what is plugged to what in columns, and who hears whom; for a picture as large as a hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kymaphon.core.analysis.report import Report
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Show
from kymaphon.core.model.wants import wants_of

Cell = Literal["hears", "own", "itself", "missing", ""]
"""hears; own voice direct; must not, and does not; should, and does not; nothing is asked."""


@dataclass(frozen=True, slots=True)
class OutlineBox:
    """A device, or all that is at one far end; `party` whose it is, `column` from the left."""

    id: str
    name: str
    party: str
    column: int


@dataclass(frozen=True)
class Outline:
    """Boxes from left to right, and links between them by id, each with the class of its level."""

    boxes: tuple[OutlineBox, ...]
    links: tuple[tuple[str, str, str], ...]

    @property
    def columns(self) -> int:
        return max((box.column for box in self.boxes), default=-1) + 1


@dataclass(frozen=True)
class Hearing:
    """Who hears whom: a row for each listener, a column for each voice; names and cells."""

    voices: tuple[tuple[str, str], ...]
    rows: tuple[tuple[str, tuple[Cell, ...]], ...]


COLUMNS: dict[str, int] = {
    "microphone": 0,
    "instrument": 0,
    "player": 0,
    "phone": 0,
    "booster": 1,
    "di": 1,
    "interface": 1,
    "desk": 1,
    "app": 1,
    "codec": 1,
    "wireless": 1,
    "preamp": 1,
    "pad": 1,
    "software": 2,
    "amplifier": 2,
    "headphones": 3,
    "recorder": 3,
    "encoder": 3,
    "line": 3,
    "loudspeaker": 3,
}
"""Group of a kind -> its column: what makes sound, what takes it in, what mixes, who gets it."""
SHORT = {
    "interface": "Interface",
    "desk": "Desk",
    "software": "Mixer",
    "app": "Call",
    "codec": "Codec",
    "encoder": "Stream",
    "recorder": "Recorder",
    "line": "Line",
    "amplifier": "Headphone amp",
    "booster": "Booster",
    "di": "DI box",
}
"""Group of a kind -> what it is called where there is room for one word."""


def outline_of(show: Show, catalogue: Catalogue) -> Outline:
    """The rig of a show in outline. Everything at somebody far away is one box, a lead either way one link; what hangs on nothing is left
    out.
    """
    far = {party.place: party for party in show.parties if party.kind == "remote" and party.place is not None}
    home = {device.id: str(device.place) if device.place in far else device.id for device in show.devices}
    links: dict[tuple[str, str], str] = {}
    for cable in show.cables:
        a, b = home[cable.source_device], home[cable.target_device]
        if a != b and (b, a) not in links:
            links.setdefault((a, b), end_of(show, catalogue, cable.source).level)
    used = dict.fromkeys(name for pair in links for name in pair)
    devices = {device.id: device for device in show.devices}
    boxes = []
    for name in used:
        device = devices.get(name)
        if device is None:
            party = far[name]
            boxes.append(OutlineBox(name, party.name, party.id, 0))
            continue
        kind = catalogue[device.kind]
        owner = next((party for party in show.parties if party.id == _owner(show, device)), None)
        called = device_name(show, device, kind.name)
        if owner is not None and kind.group in ("microphone", "instrument", "player"):
            called = owner.name
        elif owner is not None and kind.is_headphones:
            called = f"{owner.name}\u2019s ears"
        else:
            called = SHORT.get(kind.group, called)
        # A codec by which nobody comes back is a way out.
        out = (
            kind.group == "codec"
            and not any(a == name for a, _ in links)
            and not any(a in far for a, b in links if b == name)
        )
        column = 3 if out else COLUMNS.get(kind.group, 1)
        boxes.append(OutlineBox(name, called, owner.id if owner is not None else "", column))
    return Outline(
        tuple(sorted(boxes, key=lambda box: box.column)), tuple((a, b, level) for (a, b), level in links.items())
    )


def _owner(show: Show, device: Device) -> str:
    """Whose a device is: its microphone's owner, who listens on it or plays by it; empty for what is everybody's."""
    if device.party is not None:
        return device.party
    rows = (party.id for party in show.parties if device.id in (party.hears_device, party.plays_device))
    return next(rows, "")


def hearing_of(show: Show, report: Report | None = None) -> Hearing:
    """Who hears whom: as it is wanted, or, with its report, as it is."""
    voices = tuple((party.id, party.name) for party in show.parties if party.speaks)
    wants = wants_of(show)
    rows: list[tuple[str, tuple[Cell, ...]]] = []
    for party in show.parties:
        if not party.listens:
            continue
        cells = tuple(_cell(party.id, voice, wants[party.id, voice].want, report) for voice, _ in voices)
        rows.append((party.name, cells))
    return Hearing(voices, tuple(rows))


def _cell(listener: str, voice: str, want: str, report: Report | None) -> Cell:
    if want == "any":
        return ""
    feed = report.feeds.get((listener, voice)) if report is not None else None
    comes = feed is None or feed.well
    if want == "never":
        return "itself" if comes else "missing"
    if want == "local":
        return "own" if comes else "missing"
    return "hears" if comes else "missing"
