"""The rig round a desk: microphones into its channels, codecs on its sends, the main mix to whoever hears it.

Each far end has a line channel and a send of its own: its mix-minus. Headphones hang on the desk, so that everybody hears themselves at
once. A computer gets the main mix: by USB where the desk has it, else by an interface.
"""

from __future__ import annotations

from kymaphon.core.compose.ends import far_end, headphones, recorder, stream
from kymaphon.core.compose.in_computer import bring_in, ends_of, headphone_leads, without_usb
from kymaphon.core.compose.local import Source
from kymaphon.core.compose.rig import Rig, line_inputs, microphone_inputs, outputs
from kymaphon.core.compose.seats import loud_room
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.delivery import Streaming
from kymaphon.core.model.show import Place

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
        settled.drop(row, f"{row.name}: {kind.name} has {_sends(sends)}, one for each mix-minus; a desk with more sends, or a call in the computer.")
    for sorts, free, called in (
        (("person", "crowd", "effect", "instrument"), len(microphone_inputs(kind)), "microphone channels"),
        (("player", "remote"), _lines(settled, kind), "line channels"),
    ):
        while (count := sum(_channels(settled, row, kind) for row in settled.of(*sorts))) > free:
            row = settled.of(*sorts)[-1]
            settled.drop(row, f"{row.name}: {count} {called} are wanted and {kind.name} has {free}; a larger desk, or fewer.")


def _sends(count: int) -> str:
    return "no send" if count == 0 else "one send" if count == 1 else f"{count} sends"


def _lines(settled: Settled, kind: Kind) -> int:
    """Mono line channels; a player in the computer takes the desk's USB return instead of two of them."""
    return len(line_inputs(kind)) + (2 if _players_by_usb(kind) else 0)


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
                text = f"{first.name}: {_missing(settled, first)[0]}; a {fit.name[:1].lower()}{fit.name[1:]} takes it all."
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


def build(rig: Rig, settled: Settled, parties: dict[str, str], sources: list[Source]) -> None:
    """Everything from the sockets of the microphones on."""
    place = settled.rooms[0].id if settled.rooms else None
    if place is None:
        place = "here"
        rig.place(Place(id=place, name="Here", size_m=tuple(settings()["rooms"]["size_m"])))
    kind = _desk_kind(settled)
    settled.stock.take(kind.id)
    desk = rig.device(kind.id, "desk", kind.name, place=place)
    channels, lines = list(microphone_inputs(kind)), list(line_inputs(kind))
    ports = {port.id: port for port in kind.inputs}
    for source in sources:
        for side, end in zip((-1.0, 1.0), source.ends, strict=False):
            port = ports[channels.pop(0)]
            bring_in(rig, settled, source, end, desk, port)
            if len(source.ends) == 2 and port.strip is not None and port.strip.pan:
                rig.set(desk, port.id, pan=side)
    sends = [f"{desk}.{port}" for port in outputs(kind, "send")]
    for row in settled.of("remote"):
        end = far_end(rig, settled, row, place=place, host=None)
        rig.lead(end.out, f"{desk}.{lines.pop(0)}", settings()["cables"]["short_m"])
        send = sends.pop(0)
        rig.lead(send, end.into, settings()["cables"]["short_m"])
        # A codec bears less than a desk gives.
        rig.set(desk, send.split(".")[1], fader_db=settings()["codec_send_db"])
    record = settled.hearer("recording")
    computer = settled.hearer("stream") is not None or record is not None
    players = settled.of("player")
    laptop = None
    if computer or (players and _players_by_usb(kind)):
        host = settled.stock.first(("laptop", "laptop-old")) or "laptop"
        settled.stock.take(host)
        laptop = rig.device(host, "laptop", rig.catalogue[host].name, place=place)
    for n, row in enumerate(players):
        if n == 0 and laptop is not None and _players_by_usb(kind):
            settled.stock.take("player-program")
            player = rig.device("player-program", f"player-{row.id}", row.name, place=place, host=laptop)
            rig.set(player, "single", on=True)
            rig.lead(f"{player}.out", f"{desk}.usb-in")
            rig.party(row.id, row.name, "player", speaks=True, plays_on=f"{player}.out")
            continue
        settled.stock.take("player")
        player = rig.device("player", f"player-{row.id}", row.name, place=place)
        rig.party(row.id, row.name, "player", speaks=True, plays_on=f"{player}.out")
        for side, pan in (("l", -1.0), ("r", 1.0)):
            into = lines.pop(0)
            rig.lead(f"{player}.out.{side}", f"{desk}.{into}", settings()["cables"]["short_m"])
            strip = ports[into].strip
            if strip is not None and strip.pan:
                rig.set(desk, into, pan=pan)
    pairs = headphones(rig, settled, parties)
    if pairs:
        headphone_leads(rig, settled, desk, pairs)
    if laptop is not None and computer:
        _to_computer(rig, settled, desk, laptop, place)
    if record is not None and record.each:
        settled.say("hears", "recording", f"{kind.name} gives the computer its mix: the recording is the mix, not a track each; an interface would give tracks.")
    _lines_out(rig, settled, desk, place)
    _loudspeakers(rig, settled, desk)


def _main(rig: Rig, desk: str) -> tuple[str, ...]:
    """The sides of the main output, left first; the one there is of a mono desk."""
    port = rig.kind(desk).port("main-out")
    assert port is not None
    return (f"{desk}.main-out.l", f"{desk}.main-out.r") if port.stereo else (f"{desk}.main-out",)


def _to_computer(rig: Rig, settled: Settled, desk: str, laptop: str, place: str) -> None:
    kind = rig.kind(desk)
    usb = next((port.id for port in kind.outputs if port.connector == "usb" and port.stereo), None)
    into = [stream(rig, settled, laptop, place), recorder(rig, settled, laptop, place)]
    if usb is not None:
        rig.change(desk, host=laptop)
        for target in into:
            if target is not None:
                rig.lead(f"{desk}.{usb}", target)
    else:
        name = settled.stock.first(("interface-2", "interface-2-loop", "interface-4")) or "interface-2"
        settled.stock.take(name)
        interface = rig.device(name, "interface", rig.catalogue[name].name, place=place, host=laptop)
        settled.stock.take("soft-mixer")
        mixer = rig.device("soft-mixer", "mixer", "Software mixer", place=place, host=laptop)
        ends = _main(rig, desk)
        for n, end in enumerate(ends, 1):
            rig.lead(end, f"{interface}.in{n}", settings()["cables"]["short_m"])
            strip = rig.kind(interface).inputs[n - 1].strip
            if strip is not None and strip.pad_db is not None:
                # A desk's main output is line level, and hot.
                rig.set(interface, f"in{n}", pad=True)
            rig.lead(f"{interface}.usb{n}", f"{mixer}.in{n}")
            if len(ends) == 2:
                rig.set(mixer, f"in{n}", pan=-1.0 if n == 1 else 1.0)
        for path in rig.kind(interface).paths:
            if path.source == "monitor" and path.switch and path.target.startswith("usb"):
                rig.set(interface, path.key, on=False)
        for target in into:
            if target is not None:
                rig.lead(f"{mixer}.out", target)
    if settled.hearer("stream") is not None:
        rig.show = rig.show.model_copy(update={"streaming": Streaming(audio_kbps=settings()["stream"]["audio_kbps"])})


def _lines_out(rig: Rig, settled: Settled, desk: str, place: str) -> None:
    row = settled.hearer("line")
    if row is None:
        return
    name = settled.stock.first(("studio-line", "programme-codec")) or "programme-codec"
    settled.stock.take(name)
    box = rig.device(name, "station-line", rig.catalogue[name].name, place=place)
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
        at = (round(x, 2), round(depth - 1.2 if depth > 3 else depth - wall, 2))
        box = rig.device(kind, "loudspeaker", name, place=room_id, at=at)
        rig.change(box, aim_deg=90.0)
        rig.lead(end, f"{box}.in", rig.along(desk, box))
    if not room.studio:
        rig.party(
            "listeners", row.name or "Listeners", "audience", listens=True, place=room_id, at_m=(round(width / 2, 2), round(depth - wall / 2, 2))
        )
