"""Leads into a mixer or interface, and out of it to ears, with all that a lead takes on its way."""

from __future__ import annotations

from kymaphon.core.compose.local import Source
from kymaphon.core.compose.rig import Rig
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.catalogue import Port
from kymaphon.core.model.practice import practices
from kymaphon.core.model.show import Place
from kymaphon.core.wiring.power import host_budgets

HOST = "laptop"


def first_place(rig: Rig, settled: Settled) -> str:
    """Where the desk or the computer stands: the first room, or one without anybody in it."""
    if settled.rooms:
        return settled.rooms[0].id
    rig.place(Place(id="here", name="Here", size_m=tuple(settings()["rooms"]["size_m"])))
    return "here"


def computer(rig: Rig, settled: Settled, place: str) -> str:
    """The computer that is there, else a laptop."""
    kind = settled.stock.first_that(rig.catalogue, lambda kind: kind.is_computer) or HOST
    settled.stock.take(kind)
    return rig.device(kind, "laptop", rig.catalogue[kind].name, place=place)


def ends_of(settled: Settled, row: VoiceAnswer) -> int:
    """Inputs that a voice takes: two for an instrument with two sides."""
    if row.microphone is None or row.sort != "instrument":
        return 1
    return 2 if settled.catalogue[row.microphone].outputs[0].stereo else 1


def without_usb(settled: Settled, at_most: int) -> None:
    """A USB microphone has no direct monitoring and goes into no desk: it is for one talker alone, at a computer."""
    rows = settled.in_rooms
    for row in rows:
        if (
            row.microphone is None
            or settled.catalogue[row.microphone].outputs[0].domain != "digital"
            or len(rows) <= at_most
        ):
            continue
        name = settled.catalogue[row.microphone].name
        settled.voices = tuple(v.with_(microphone=None) if v.id == row.id else v for v in settled.voices)
        settled.say(
            "heard",
            row.id,
            f"{row.name}: a {name} is for one talker alone at a computer: beside others everybody would hear it late. "
            "A microphone with a lead is proposed.",
        )


def not_twice(rig: Rig, interface: str) -> None:
    """Keeps the monitor mix off what an interface offers to the computer: beside its inputs it would bring each voice twice."""
    kind = rig.kind(interface)
    buses = {bus.id for bus in kind.buses}
    for path in kind.paths:
        if path.source in buses and path.switch and path.target.startswith("usb"):
            rig.set(interface, path.key, on=False)


def bring_in(rig: Rig, settled: Settled, source: Source, end: str, box: str, port: Port) -> None:
    """A source into an input of an interface or desk, with what it takes on the way.

    A booster where the input has not gain enough for a moving coil, a DI box where an unbalanced lead would be long, phantom power
    where it is needed, the instrument switch for a pickup.
    """
    into = f"{box}.{port.id}"
    out = source.kind.outputs[0]
    length = rig.along(source.device, box)
    place = rig.show.device(source.device).place
    if source.kind.group == "instrument":
        no_jack = port.connector == "xlr"
        if no_jack or length > settings()["cables"]["unbalanced_m"]:
            name = "di-active" if out.level == "instrument" else "di-passive"
            settled.stock.take(name)
            box_in = rig.device(name, f"di-{source.voice.id}", f"{source.voice.name}, DI box", place=place)
            rig.lead(end, f"{box_in}.in", settings()["cables"]["short_m"])
            rig.lead(f"{box_in}.out", into, length)
            if rig.catalogue[name].outputs[0].phantom_may_ma is not None:
                rig.set(box, port.id, phantom=True)
            return
        rig.lead(end, into, length)
        if out.level == "instrument":
            rig.set(box, port.id, hi_z=True)
        return
    if out.phantom_ma is not None:
        rig.set(box, port.id, phantom=True)
    elif source.level_dbu is not None and _short_of_gain(rig, settled, source.level_dbu, box, port):
        name = "booster-inline"
        settled.stock.take(name)
        booster = rig.device(name, f"booster-{source.voice.id}", f"{source.voice.name}\u2019s booster", place=place)
        rig.lead(end, f"{booster}.in", settings()["cables"]["short_m"])
        rig.lead(f"{booster}.out", into, length)
        rig.set(box, port.id, phantom=True)
        return
    rig.lead(end, into, length)


def _short_of_gain(rig: Rig, settled: Settled, level_dbu: float, box: str, port: Port) -> bool:
    """Whether all the gain of an input leaves a microphone under the mark. A mixer behind it has gain of its own, direct monitoring and
    single tracks have none.
    """
    kind = rig.kind(box)
    mark = practices(rig.show.practices)[rig.show.practice].average
    full = kind.full_scale_dbu if kind.full_scale_dbu is not None else -rig.show.line_up_dbfs
    if port.strip is None or port.strip.gain_db is None or mark is None:
        return False
    record = settled.hearer("recording")
    each = record is not None and record.each
    programme = settled.hearer("stream") is not None or (record is not None and not record.each)
    alone = each or (settled.on_headphones and not programme)
    over = -settings()["centre_db"] if kind.is_desk or alone else settings()["boost_from_db"]
    return bool(level_dbu + port.strip.gain_db[1] < full + mark - over)


def headphone_leads(rig: Rig, settled: Settled, interface: str, pairs: dict[str, list[str]]) -> None:
    """Headphones on one socket; more than two by a headphone amplifier."""
    rows = [pair for group in pairs.values() for pair in group]
    length = settings()["cables"]["headphones_m"]
    if len(rows) <= 2:
        for pair in rows:
            rig.lead(f"{interface}.phones", f"{pair}.in", length)
        return
    place = rig.show.device(interface).place
    for start in range(0, len(rows), 4):
        settled.stock.take("headphone-amp")
        amp = rig.device("headphone-amp", "headphone-amp", "Headphone amplifier", place=place)
        rig.lead(f"{interface}.phones", f"{amp}.in", 1.0)
        for n, pair in enumerate(rows[start : start + 4], 1):
            rig.lead(f"{amp}.phones{n}", f"{pair}.in", length)


def small(name: str) -> str:
    return name[:1].lower() + name[1:]


def within_budget(rig: Rig, settled: Settled) -> None:
    """Power for what draws more than its computer gives: its own adaptor, else a hub with a supply."""
    for budget in host_budgets(rig.show, rig.catalogue):
        if budget.gives is None or budget.over_ma <= 0:
            continue
        for device_id in budget.users:
            power = rig.kind(device_id).power
            if power is not None and "adaptor" in power.by:
                rig.change(device_id, power="adaptor")
                break
        else:
            settled.stock.take("usb-hub")
            hub = rig.device("usb-hub", "hub", "USB hub", place=rig.show.device(budget.host).place, host=budget.host)
            for device_id in budget.users:
                rig.change(device_id, host=hub)


def player_program(rig: Rig, settled: Settled, row: VoiceAnswer, host: str, place: str) -> str:
    """A player in the computer, armed for one piece; its output."""
    settled.stock.take("player-program")
    program = rig.device("player-program", f"player-{row.id}", row.name, place=place, host=host)
    rig.set(program, "single", on=True)
    rig.party(row.id, row.name, "player", speaks=True, plays_on=f"{program}.out")
    return f"{program}.out"
