"""The rig round a desk: microphones into its channels, codecs on its sends, the main mix to whoever hears it.

Each far end has a line channel and a send of its own: its mix-minus. Headphones hang on the desk, so that everybody hears themselves at
once. A computer gets the main mix: by USB where the desk has it, else by an interface.
"""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.compose.ends import far_end, headphones, recorder, stream
from kymaphon.core.compose.leads import (
    bring_in,
    computer,
    ends_of,
    first_place,
    headphone_leads,
    not_twice,
    player_program,
    small,
    without_usb,
)
from kymaphon.core.compose.local import Source
from kymaphon.core.compose.rig import Rig, line_inputs, microphone_inputs, outputs
from kymaphon.core.compose.seats import loud_room
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.catalogue import Kind, Port

DESKS = ("desk-8", "desk-12-4", "desk-24-mono")


def wanted(settled: Settled) -> bool:
    """Whether a desk does what a computer does not: a line or loudspeakers, a codec; or there is one and no interface."""
    if settled.hearer("line") is not None or settled.hearer("loudspeakers") is not None:
        return True
    if any(row.by == "codec" for row in settled.of("remote")):
        return True
    have = {row.kind for row in settled.answers.have if row.kind in settled.catalogue}
    groups = {settled.catalogue[kind].group for kind in have}
    return "desk" in groups and "interface" not in groups


def trim(settled: Settled) -> None:
    """Leaves out what no desk has channels or sends for, the last named first."""
    without_usb(settled, at_most=0)
    kind = _desk_kind(settled)
    sends = len(outputs(kind, "send"))
    far = settled.of("remote")
    for row in far[sends:]:
        settled.drop(
            row,
            f"{row.name}: {kind.name} has {_sends(sends)}, one for each mix-minus; a desk with more sends, or a call in the computer.",
        )
    for sorts, free, called in (
        (("person", "crowd", "effect", "instrument"), len(microphone_inputs(kind)), "microphone channels"),
        (("player", "remote"), _lines(settled, kind), "line channels"),
    ):
        while (count := sum(_channels(settled, row, kind) for row in settled.of(*sorts))) > free:
            row = settled.of(*sorts)[-1]
            settled.drop(
                row, f"{row.name}: {count} {called} are wanted and {kind.name} has {free}; a larger desk, or fewer."
            )


def _sends(count: int) -> str:
    return "no send" if count == 0 else "one send" if count == 1 else f"{count} sends"


def _lines(settled: Settled, kind: Kind) -> int:
    """Mono line channels; a player in the computer, where there is one, takes the desk's USB return instead of two of them."""
    return len(line_inputs(kind)) + (2 if settled.of("player") and _players_by_usb(kind) else 0)


def _players_by_usb(kind: Kind) -> bool:
    port = kind.port("usb-in")
    return port is not None and port.stereo


def _channels(settled: Settled, row: VoiceAnswer, kind: Kind) -> int:
    if row.sort == "player":
        return 2
    return ends_of(settled, row) if row.sort == "instrument" else 1


def _desk_kind(settled: Settled) -> Kind:
    """The desk that is there and takes most of it, the smallest such; else the smallest of the proposed that takes it all."""
    catalogue = settled.catalogue
    have = [row.kind for row in settled.answers.have if row.kind in catalogue and catalogue[row.kind].is_desk]
    there = [catalogue[name] for name in dict.fromkeys(have)]
    proposed = [catalogue[name] for name in DESKS]
    for kinds in (there, proposed):
        fit = next((kind for kind in kinds if not _missing(settled, kind)), None)
        if fit is not None:
            if there and fit not in there:
                first = there[0]
                text = f"{first.name}: {_missing(settled, first)[0]}; a {small(fit.name)} takes it all."
                settled.say("have", first.id, text)
            return fit
    return max([*there, *proposed], key=lambda kind: (-len(_missing(settled, kind)), len(microphone_inputs(kind))))


def _missing(settled: Settled, kind: Kind) -> list[str]:
    """What a desk lacks for all that is asked, in words."""
    out = []
    rows = [*settled.of("person", "crowd", "effect", "instrument")]
    microphones = sum(_channels(settled, row, kind) for row in rows)
    lines = sum(_channels(settled, row, kind) for row in settled.of("player", "remote"))
    far = len(settled.of("remote"))
    if microphones > len(microphone_inputs(kind)):
        out.append(f"{len(microphone_inputs(kind))} microphone channels for {microphones}")
    if lines > _lines(settled, kind):
        out.append(f"{_lines(settled, kind)} line channels for {lines}")
    if far > len(outputs(kind, "send")):
        out.append(f"{_sends(len(outputs(kind, 'send')))} for {far} far away, each of whom needs a mix-minus")
    if kind.port("main-out") is None or kind.port("phones") is None:
        out.append("no main output or no headphones")
    return out


@dataclass
class Channels:
    """The desk while it is plugged: channels and sends that are free."""

    desk: str
    kind: Kind
    microphones: list[str]
    lines: list[str]
    sends: list[str]

    def port(self, port_id: str) -> Port:
        return next(port for port in self.kind.inputs if port.id == port_id)


def build(rig: Rig, settled: Settled, parties: dict[str, str], sources: list[Source]) -> None:
    """Everything from the sockets of the microphones on."""
    place = first_place(rig, settled)
    kind = _desk_kind(settled)
    settled.stock.take(kind.id)
    desk = rig.device(kind.id, "desk", "Desk", place=place)
    sends = [f"{desk}.{port}" for port in outputs(kind, "send")]
    free = Channels(desk, kind, list(microphone_inputs(kind)), list(line_inputs(kind)), sends)
    for source in sources:
        for side, end in zip((-1.0, 1.0), source.ends, strict=False):
            port = free.port(free.microphones.pop(0))
            bring_in(rig, settled, source, end, desk, port)
            if len(source.ends) == 2:
                _pan(rig, free, port.id, side)
    _far_away(rig, settled, free, place)
    heard = settled.hearer("stream") is not None or settled.hearer("recording") is not None
    by_usb = bool(settled.of("player")) and _players_by_usb(kind)
    laptop = computer(rig, settled, place) if heard or by_usb else None
    _players(rig, settled, free, laptop, place)
    pairs = headphones(rig, settled, parties)
    if pairs:
        headphone_leads(rig, settled, desk, pairs)
    # The line has no gain of its own, so it is what all line up along; what lies behind an interface is trimmed there.
    _line_out(rig, settled, desk, place)
    if laptop is not None and heard:
        _to_computer(rig, settled, free, laptop, place)
    _loudspeakers(rig, settled, desk)


def _pan(rig: Rig, free: Channels, port_id: str, side: float) -> None:
    strip = free.port(port_id).strip
    if strip is not None and strip.pan:
        rig.set(free.desk, port_id, pan=side)


def _far_away(rig: Rig, settled: Settled, free: Channels, place: str) -> None:
    short = settings()["cables"]["short_m"]
    for row in settled.of("remote"):
        end = far_end(rig, settled, row, place=place, host=None)
        rig.lead(end.out, f"{free.desk}.{free.lines.pop(0)}", short)
        send = free.sends.pop(0)
        rig.lead(send, end.into, short)
        # A codec bears less than a desk gives.
        rig.set(free.desk, send.split(".")[1], fader_db=settings()["codec_send_db"])


def _players(rig: Rig, settled: Settled, free: Channels, laptop: str | None, place: str) -> None:
    """The first by the computer and the desk's USB return, where it has one; the others into a pair of line channels each."""
    for n, row in enumerate(settled.of("player")):
        if n == 0 and laptop is not None and _players_by_usb(free.kind):
            rig.lead(player_program(rig, settled, row, laptop, place), f"{free.desk}.usb-in")
            continue
        settled.stock.take("player")
        player = rig.device("player", f"player-{row.id}", row.name, place=place)
        rig.party(row.id, row.name, "player", speaks=True, plays_on=f"{player}.out")
        for side, pan in (("l", -1.0), ("r", 1.0)):
            into = free.lines.pop(0)
            rig.lead(f"{player}.out.{side}", f"{free.desk}.{into}", settings()["cables"]["short_m"])
            _pan(rig, free, into, pan)


def _main(rig: Rig, desk: str) -> tuple[str, ...]:
    """The sides of the main output, left first; the one there is of a mono desk."""
    port = rig.kind(desk).port("main-out")
    assert port is not None
    return (f"{desk}.main-out.l", f"{desk}.main-out.r") if port.stereo else (f"{desk}.main-out",)


def _to_computer(rig: Rig, settled: Settled, free: Channels, laptop: str, place: str) -> None:
    """The main mix into the computer: by USB where the desk has it, else by an interface and a mixer program."""
    record = settled.hearer("recording")
    if record is not None and record.each:
        text = f"{free.kind.name} gives the computer its mix: the recording is the mix, not a track each; an interface would give tracks."
        settled.say("hears", "recording", text)
    ends = (stream(rig, settled, laptop, place), recorder(rig, settled, laptop, place) if record is not None else None)
    usb = next((port.id for port in free.kind.outputs if port.connector == "usb" and port.stereo), None)
    if usb is not None:
        rig.change(free.desk, host=laptop)
        source = f"{free.desk}.{usb}"
    else:
        source = _by_interface(rig, settled, free.desk, laptop, place)
    for end in ends:
        if end is not None:
            rig.lead(source, end)


def _by_interface(rig: Rig, settled: Settled, desk: str, laptop: str, place: str) -> str:
    """The desk's main output into two inputs of an interface, each on its side of a mixer program, whose output it returns."""
    name = settled.stock.first(("interface-2", "interface-2-loop", "interface-4")) or "interface-2"
    settled.stock.take(name)
    kind = rig.catalogue[name]
    interface = rig.device(name, "interface", "Interface", place=place, host=laptop)
    settled.stock.take("soft-mixer")
    mixer = rig.device("soft-mixer", "mixer", "Mixer", place=place, host=laptop)
    ends = _main(rig, desk)
    for n, end in enumerate(ends, 1):
        rig.lead(end, f"{interface}.in{n}", settings()["cables"]["short_m"])
        strip = kind.inputs[n - 1].strip
        if strip is not None and strip.pad_db is not None:
            # A desk's main output is line level, and hot.
            rig.set(interface, f"in{n}", pad=True)
    # One side alone goes into both: in the middle of one input it would lose what the pan law takes, and want that much more before it.
    for n, pan in enumerate((-1.0, 1.0), 1):
        rig.lead(f"{interface}.usb{min(n, len(ends))}", f"{mixer}.in{n}")
        rig.set(mixer, f"in{n}", pan=pan)
    not_twice(rig, interface)
    return f"{mixer}.out"


def _line_out(rig: Rig, settled: Settled, desk: str, place: str) -> None:
    row = settled.hearer("line")
    if row is None:
        return
    name = settled.stock.first(("studio-line", "programme-codec")) or "programme-codec"
    settled.stock.take(name)
    box = rig.device(name, "station-line", f"{row.name or 'Station'} line", place=place)
    rig.party("station", row.name or "Station", "audience", listens=True, hears_on=box)
    ends = _main(rig, desk)
    if rig.catalogue[name].inputs[0].stereo:
        for n, side in enumerate("lr"):
            rig.lead(ends[min(n, len(ends) - 1)], f"{box}.in.{side}", settings()["cables"]["short_m"])
    else:
        rig.lead(ends[0], f"{box}.in", settings()["cables"]["short_m"])


def _loudspeakers(rig: Rig, settled: Settled, desk: str) -> None:
    """Loudspeakers before the microphones, turned away from them, and the listeners before them."""
    row = settled.hearer("loudspeakers")
    room_id = loud_room(settled)
    if row is None or room_id is None:
        return
    room = next(room for room in settled.rooms if room.id == room_id)
    width, depth = room.size_m or (5.0, 4.0)
    wall = settings()["seats"]["wall_m"]
    kind = settled.stock.first(("loudspeaker",)) or "loudspeaker"
    ends = _main(rig, desk)
    for n, end in enumerate(ends):
        settled.stock.take(kind)
        x = wall / 2 if n == 0 else width - wall / 2
        name = ("Left loudspeaker", "Right loudspeaker")[n] if len(ends) == 2 else "Loudspeaker"
        ahead = min(settings()["loudspeakers"]["wall_m"], depth / 3)
        at = (round(x, 2), round(depth - max(ahead, wall), 2))
        box = rig.device(kind, "loudspeaker", name, place=room_id, at=at)
        rig.change(box, aim_deg=90.0)
        rig.lead(end, f"{box}.in", rig.along(desk, box))
    if not room.studio:
        rig.party(
            "listeners",
            row.name or "Listeners",
            "audience",
            listens=True,
            place=room_id,
            at_m=(round(width / 2, 2), round(depth - wall / 2, 2)),
        )
