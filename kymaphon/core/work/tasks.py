"""What there is to do before air, told from the show: communications first, then what takes people and power longest, and so on.

The order is common practice on outside broadcasts: the first circuit up is the one to those who rig, and the rest is plugged and checked
over it. Minutes are house figures (`core/data/work.json`).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import data_table
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Party, Place
from kymaphon.core.model.talk import Task, TaskSort
from kymaphon.core.wiring.routes import length_of
from kymaphon.core.words import counted

PREFIX = "work-"
"""Ids of the tasks that are told from the show begin so; what somebody typed keeps its own."""


def minutes_of(name: str) -> float:
    """Minutes of a sort of work, by its name in data/work.json. Raises KeyError when there is none."""
    return float(data_table("work")["minutes"][name]["value"])


def people_of(name: str) -> int:
    """How many it takes. Raises KeyError when there is none."""
    return int(data_table("work")["minutes"][name]["people"])


@dataclass
class _List:
    """Tasks as they are told, in order. Local to the telling."""

    rows: list[Task] = field(default_factory=list)
    ids: dict[str, None] = field(default_factory=dict)

    def add(
        self,
        name: str,
        text: str,
        sort: TaskSort,
        minutes: float,
        people: int,
        after: Iterator[str] | tuple[str, ...],
        place: str | None = None,
        loses: str = "",
    ) -> str:
        task_id = f"{PREFIX}{name}"
        known = tuple(dict.fromkeys(row for row in after if row in self.ids))
        self.rows.append(
            Task(
                id=task_id,
                text=text,
                sort=sort,
                minutes=round(minutes, 1),
                people=people,
                after=known,
                place=place,
                can_drop=bool(loses),
                loses=loses,
            )
        )
        self.ids[task_id] = None
        return task_id

    def of(self, *names: str) -> tuple[str, ...]:
        """Those of some names that there are."""
        return tuple(f"{PREFIX}{name}" for name in names if f"{PREFIX}{name}" in self.ids)

    def begin_with(self, *names: str) -> tuple[str, ...]:
        return tuple(row for row in self.ids if row.startswith(tuple(f"{PREFIX}{name}" for name in names)))


def work_told(analysis: Computed) -> tuple[Task, ...]:
    """The tasks of a show in the order in which they are told; each has its minutes, people, place and what comes first."""
    show = analysis.show
    out = _List()
    base = base_place(analysis)
    at_base = [row for row in show.devices if row.place == (base.id if base else None)]
    if show.circuits:
        where = f" in {base.name}" if base else ""
        out.add(
            "talk-base",
            f"First circuit up{where}",
            "communications",
            minutes_of("base"),
            people_of("base"),
            (),
            _id(base),
        )
    for place in show.places:
        if base is not None and place.id != base.id:
            _place(analysis, out, base, place)
    desks = [row for row in at_base if analysis.catalogue[row.kind].is_desk]
    for desk in desks:
        first = out.of("talk-base", f"power-{desk.place}")
        out.add(
            f"desk-{desk.id}",
            f"{analysis.device_name(desk.id)} set up",
            "rigging",
            minutes_of("desk"),
            people_of("desk"),
            first,
            desk.place,
        )
    for party in show.parties:
        _source(analysis, out, party)
    for device in show.devices:
        kind = analysis.catalogue[device.kind]
        if kind.is_camera:
            first = out.of("talk-base", f"talk-{device.place}", f"lay-{device.place}")
            text = f"Talkback at {analysis.device_name(device.id)}"
            out.add(
                f"camera-{device.id}",
                text,
                "communications",
                minutes_of("camera"),
                people_of("camera"),
                first,
                device.place,
            )
    _lines(analysis, out)
    _proofs(analysis, out)
    return tuple(out.rows)


def _id(place: Place | None) -> str | None:
    return place.id if place is not None else None


def base_place(analysis: Computed) -> Place | None:
    """Where the work is led from: the place of a desk, else of most devices; None where no device has a place."""
    counts: dict[str, tuple[int, int]] = {}
    for device in analysis.show.devices:
        if device.place is not None:
            desks, rows = counts.get(device.place, (0, 0))
            counts[device.place] = (desks + analysis.catalogue[device.kind].is_desk, rows + 1)
    best = max(counts, key=lambda name: counts[name], default=None)
    return next((row for row in analysis.show.places if row.id == best), None)


def _place(analysis: Computed, out: _List, base: Place, place: Place) -> None:
    """What a place away from the base needs: talkback, power, leads."""
    show = analysis.show
    devices = [row for row in show.devices if row.place == place.id]
    leads = [row for row in show.cables if _joins(analysis, row, base.id, place.id)]
    if not devices or not leads:
        # Somewhere else in the world, at the other end of a call: nobody of this crew rigs there.
        return
    talk = [row for row in devices if analysis.catalogue[row.kind].is_talkback]
    longest = max((_metres(analysis, row) for row in leads), default=0.0)
    minutes = minutes_of("lay-fixed") + minutes_of("lay-per-10m") * longest / 10
    many = f"{len(leads)} lead{'s' if len(leads) > 1 else ''}"
    text = f"{many} from {base.name} to {place.name}" + (f", {longest:.0f} m" if longest else "")
    out.add(f"lay-{place.id}", text, "rigging", minutes, people_of("lay-fixed"), out.of("talk-base"), place.id)
    if _on_mains(analysis, devices):
        text = f"Power at {place.name}: tested, covered, by somebody competent; local rules apply"
        out.add(
            f"power-{place.id}",
            text,
            "power",
            minutes_of("power-place"),
            people_of("power-place"),
            out.of("talk-base"),
            place.id,
        )
    if talk:
        first = out.of("talk-base", f"lay-{place.id}", f"power-{place.id}")
        text = f"Talkback at {place.name}"
        minutes = minutes_of("talk-place") + minutes_of("talk-more") * (len(talk) - 1)
        out.add(f"talk-{place.id}", text, "communications", minutes, people_of("talk-place"), first, place.id)


def _joins(analysis: Computed, cable: Cable, first: str, second: str) -> bool:
    """Whether a lead runs between two places; a call over the network does not."""
    devices = [analysis.show.device(name) for name in (cable.source_device, cable.target_device)]
    port = analysis.catalogue[devices[0].kind].port(PortId.of(cable.source).port)
    return {row.place for row in devices} == {first, second} and port is not None and port.domain == "analog"


def _metres(analysis: Computed, cable: Cable) -> float:
    found = length_of(analysis.show, cable)
    return cable.length_m or (found.value if found is not None else 0.0)


def _on_mains(analysis: Computed, devices: list[Device]) -> bool:
    for device in devices:
        power = analysis.catalogue[device.kind].power
        feed = device.power or (power.by[0] if power is not None else None)
        if feed in ("mains-earthed", "mains-two-pin", "adaptor"):
            return True
    return False


def _source(analysis: Computed, out: _List, party: Party) -> None:
    """The microphones of one voice that goes on air."""
    if not party.speaks or party.kind in ("crew", "remote"):
        return
    show = analysis.show
    rows = [
        row
        for row in show.devices
        if row.party == party.id and any(port.domain == "acoustic" for port in analysis.catalogue[row.kind].inputs)
    ]
    if not rows:
        return
    place = rows[0].place
    sort: TaskSort = "rigging"
    name, text = "microphone", f"{party.name}'s microphone"
    box = any(analysis.catalogue[row.kind].is_talkback and row.place == place for row in show.devices)
    loses = ""
    if party.kind == "effect":
        sort, name, text, loses = (
            "effects",
            "effects",
            f"Effects microphone for {party.name}",
            f"no close sound of {party.name}",
        )
    elif party.kind == "crowd":
        sort, name, text, loses = (
            "crowd",
            "crowd",
            f"Microphone on {party.name}",
            f"no {party.name} of its own: it is heard by others only",
        )
    elif party.kind == "presenter" and box:
        sort, name, text = "commentary", "commentary", f"{party.name}'s position: box, headset, sight, light"
    first = out.of("talk-base", f"lay-{place}", f"power-{place}", f"talk-{place}")
    minutes = minutes_of(name) + minutes_of("microphone") * (len(rows) - 1)
    out.add(f"mic-{party.id}", text, sort, minutes, people_of(name), first, place, loses)


def _lines(analysis: Computed, out: _List) -> None:
    desks = out.begin_with("desk-")
    for line in analysis.show.lines:
        name = line.called
        loses = (
            f"no reserve: if {_main_name(analysis, line.reserve_for)} fails the show is off air"
            if line.reserve_for
            else ""
        )
        found = out.add(
            f"line-{line.id}",
            f"{name}: found, plugged, answered",
            "lines",
            minutes_of("line"),
            people_of("line"),
            out.of("talk-base"),
            loses=loses,
        )
        out.add(
            f"tone-{line.id}",
            f"{name}: tone, ident, the far end's reading",
            "tone",
            minutes_of("tone"),
            people_of("tone"),
            (found, *desks),
            loses=loses,
        )


def _main_name(analysis: Computed, line: str) -> str:
    row = next((one for one in analysis.show.lines if one.id == line), None)
    return row.called if row is not None else "the main line"


def _proofs(analysis: Computed, out: _List) -> None:
    """Line-up, tap test, circuits by voice, rehearsal."""
    show = analysis.show
    desks = out.begin_with("desk-")
    mics = out.begin_with("mic-")
    ready: list[str] = []
    for party in show.parties:
        own = out.of(f"mic-{party.id}")
        if own and party.kind not in ("crowd", "effect"):
            ready.append(
                out.add(
                    f"level-{party.id}",
                    f"Line-up, {party.name}",
                    "line-up",
                    minutes_of("line-up"),
                    people_of("line-up"),
                    (*own, *desks),
                )
            )
    if mics:
        minutes = minutes_of("tap") * len(mics)
        ready.append(
            out.add(
                "taps",
                f"Tap test of {len(mics)} microphone{'s' if len(mics) > 1 else ''}",
                "tap-test",
                minutes,
                people_of("tap"),
                (*mics, *desks),
            )
        )
    if show.circuits:
        talk = out.begin_with("talk-", "camera-")
        ready.append(
            out.add(
                "circuits",
                f"{counted(len(show.circuits), 'circuit')} by voice, each way",
                "communications",
                minutes_of("circuit-check") * len(show.circuits),
                people_of("circuit-check"),
                talk,
            )
        )
    if ready:
        out.add(
            "rehearsal",
            "Rehearsal: stand by, count, run",
            "rehearsal",
            minutes_of("rehearsal"),
            people_of("rehearsal"),
            (*ready, *out.begin_with("tone-")),
            loses="nobody has run it once",
        )


def missing_work(analysis: Computed) -> tuple[Task, ...]:
    """What the show tells and is not on its list yet."""
    known = {row.id for row in analysis.show.tasks}
    return tuple(row for row in work_told(analysis) if row.id not in known)
