"""The rig round a computer: an interface, one mixer program, calls beside it.

Each voice goes into the interface and on by USB into the mixer. Those at the microphones hear themselves at once by direct monitoring,
and everybody else by a send of the mixer that leaves them out; each call gets a send of its own: its mix-minus.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from kymaphon.core.compose.ends import FarEnd, Single, far_end, headphones, recorder, stream, tracks
from kymaphon.core.compose.leads import (
    bring_in,
    computer,
    ends_of,
    first_place,
    headphone_leads,
    not_twice,
    player_program,
    small,
    within_budget,
    without_usb,
)
from kymaphon.core.compose.local import Source
from kymaphon.core.compose.rig import Rig, microphone_inputs, outputs
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.delivery import Recording

INTERFACES = ("interface-2", "interface-4", "interface-8")
MIXERS = ("soft-mixer", "soft-mixer-8")


def interfaces(catalogue: Catalogue) -> list[Kind]:
    """Kinds of interface with microphone inputs and a monitor mix of their own, the smallest first."""
    kinds = [kind for kind in catalogue if kind.group == "interface" and kind.buses]
    return sorted(kinds, key=lambda kind: len(microphone_inputs(kind)))


def most_inputs(catalogue: Catalogue) -> int:
    return max(len(microphone_inputs(catalogue[name])) for name in INTERFACES)


def trim(settled: Settled) -> None:
    """Leaves out what no interface or mixer has inputs for, the last named first, and a microphone that cannot be used beside others."""
    without_usb(settled, at_most=1)
    most = most_inputs(settled.catalogue)
    while (count := sum(ends_of(settled, row) for row in settled.in_rooms)) > most:
        row = settled.in_rooms[-1]
        settled.drop(
            row,
            f"{row.name}: {count} inputs are wanted and the largest interface has {most}; a second rig, or fewer microphones.",
        )
    kind = settled.catalogue[MIXERS[-1]]
    stereo = sum(port.stereo for port in kind.inputs)
    for row in settled.of("player")[stereo:]:
        settled.drop(
            row, f"{row.name}: the mixer has {stereo} stereo inputs, and as many players; one player can play it all."
        )
    inputs = len(kind.inputs)
    while sum(ends_of(settled, row) for row in settled.voices) > inputs:
        row = (settled.of("remote") or settled.in_rooms)[-1]
        text = f"{row.name}: the mixer has {inputs} inputs, and all are taken; fewer microphones, or a desk before the computer."
        settled.drop(row, text)


@dataclass
class Mixing:
    """The mixer program while it is plugged: inputs and sends that are free, and each voice alone for its track."""

    device: str
    kind: Kind
    mono: list[str]
    stereo: list[str]
    sends: list[str]
    singles: list[Single] = field(default_factory=list)

    def next_input(self) -> str | None:
        """A mono input, else one side of nothing: a stereo one; None where all are taken."""
        port = self.mono.pop(0) if self.mono else self.stereo.pop() if self.stereo else None
        return None if port is None else f"{self.device}.{port}"


def build(rig: Rig, settled: Settled, parties: dict[str, str], sources: list[Source]) -> None:
    """Everything from the sockets of the microphones on."""
    place = first_place(rig, settled)
    laptop = computer(rig, settled, place)
    wired = [row for row in sources if not row.usb]
    pairs = headphones(rig, settled, parties)
    feeds: list[tuple[Source, list[str]]] = []
    interface = None
    if wired or pairs:
        interface = _interface(rig, settled, laptop, place, sum(len(row.ends) for row in wired))
        feeds = _plugged(rig, settled, interface, wired)
    for source in sources:
        if source.usb:
            rig.change(source.device, host=laptop)
            feeds.append((source, [source.ends[0]]))
    mixing = _mixing(rig, settled, feeds, laptop, place, ears=bool(pairs))
    far = _far_away(rig, settled, mixing, laptop, place)
    _players(rig, settled, mixing, laptop, place)
    for end in far:
        rig.lead(mixing.sends.pop(0), end.into)
    if interface is not None and pairs:
        if far or settled.of("player"):
            # Those at the microphones hear each other by direct monitoring; from the computer comes what is not at the interface.
            rig.lead(mixing.sends.pop(0), f"{interface}.usb-in")
        headphone_leads(rig, settled, interface, pairs)
    _programme(rig, settled, mixing, laptop, place)
    within_budget(rig, settled)


def _mixing(
    rig: Rig, settled: Settled, feeds: list[tuple[Source, list[str]]], laptop: str, place: str, *, ears: bool
) -> Mixing:
    """The mixer program, with what is in rooms plugged into it."""
    far = len(settled.of("remote"))
    name = _mixer(settled, sum(len(ends) for _, ends in feeds) + far, len(settled.of("player")), far + ears)
    kind = rig.catalogue[name]
    mixer = rig.device(name, "mixer", "Mixer", place=place, host=laptop)
    mono = [port.id for port in kind.inputs if not port.stereo]
    stereo = [port.id for port in kind.inputs if port.stereo]
    mixing = Mixing(mixer, kind, mono, stereo, [f"{mixer}.{port}" for port in outputs(kind, "send")])
    panned = {port.id for port in kind.inputs if port.strip is not None and port.strip.pan}
    for source, ends in feeds:
        for side, end in zip((-1.0, 1.0), ends, strict=False):
            into = mixing.next_input()
            assert into is not None  # counted by `trim`
            rig.lead(end, into)
            port = into.split(".")[1]
            if len(ends) == 2 and port in panned:
                rig.set(mixer, port, pan=side)
            name = source.voice.name + (", right" if side > 0 else "")
            mixing.singles.append(Single(source.party, name, end))
    return mixing


def _far_away(rig: Rig, settled: Settled, mixing: Mixing, laptop: str, place: str) -> list[FarEnd]:
    out = []
    music = bool(settled.of("player", "instrument"))
    for row in settled.of("remote"):
        into = mixing.next_input()
        assert into is not None  # counted by `trim`
        end = far_end(rig, settled, row, place=place, host=laptop)
        if music:
            _unprocessed(rig, end)
        rig.lead(end.out, into)
        # A handset without its automatic level is as quiet as it comes.
        under = settings()["handset_raw_db"] if music and end.handset else 0.0
        mixing.singles.append(Single(end.party, row.name, end.out, under))
        out.append(end)
    return out


def _players(rig: Rig, settled: Settled, mixing: Mixing, laptop: str, place: str) -> None:
    record = settled.hearer("recording")
    # With nothing but tracks nobody hears a mix.
    mixed = (
        settled.hearer("stream") is not None
        or (record is not None and not record.each)
        or bool(settled.of("remote"))
        or settled.on_headphones
    )
    for row in settled.of("player"):
        if not mixing.stereo:
            settled.drop(row, f"{row.name}: the mixer has no stereo input left for another player.")
            continue
        out = player_program(rig, settled, row, laptop, place)
        into = mixing.stereo.pop(0)
        if mixed:
            rig.lead(out, f"{mixing.device}.{into}")
        party = rig.show.parties[-1].id
        mixing.singles += [
            Single(party, f"{row.name}, left", f"{out}.l"),
            Single(party, f"{row.name}, right", f"{out}.r"),
        ]


def _programme(rig: Rig, settled: Settled, mixing: Mixing, laptop: str, place: str) -> None:
    """What the world hears: the stream, and the recording as a mix or each voice on a track."""
    ends = [stream(rig, settled, laptop, place)]
    record = settled.hearer("recording")
    if ends == [None] and record is None and (settled.on_headphones or settled.of("remote")):
        text = (
            "Nobody hears the programme: a recording of the mix is in it, so that all have one mark to line up along."
        )
        settled.say("hears", "", text)
        ends.append(recorder(rig, settled, laptop, place))
    elif record is not None and record.each:
        tracks(rig, settled, laptop, place, mixing.singles)
        rig.show = rig.show.model_copy(update={"recording": Recording(way="each")})
    elif record is not None:
        ends.append(recorder(rig, settled, laptop, place))
    for end in ends:
        if end is not None:
            rig.lead(f"{mixing.device}.out", end)


def _unprocessed(rig: Rig, end: FarEnd) -> None:
    """A call that carries music: what takes it for noise or echo on its way out is off."""
    call = end.into.split(".")[0]
    for row in rig.kind(call).processors:
        # A handset gives some of what it hears back: then the far end's own processing has music in it as well.
        if row.on and (not row.far or end.handset):
            rig.set(call, row.id, on=False)


def _interface(rig: Rig, settled: Settled, host: str, place: str, count: int) -> str:
    """The smallest interface that is there and takes them all; else the smallest that would."""
    needed = max(count, 1)
    kinds = interfaces(rig.catalogue)
    there = [kind for kind in kinds if settled.stock.has(kind.id)]
    fits = [kind for kind in there if len(microphone_inputs(kind)) >= needed]
    if fits:
        kind = fits[0]
    else:
        kind = next(rig.catalogue[name] for name in INTERFACES if len(microphone_inputs(rig.catalogue[name])) >= needed)
        if there:
            most = there[-1]
            settled.say(
                "have",
                most.id,
                f"{most.name}: {len(microphone_inputs(most))} inputs for {needed} that are wanted; a {small(kind.name)} takes them all.",
            )
    settled.stock.take(kind.id)
    made = rig.device(kind.id, "interface", "Interface", place=place, host=host)
    not_twice(rig, made)
    return made


def _plugged(rig: Rig, settled: Settled, interface: str, wired: list[Source]) -> list[tuple[Source, list[str]]]:
    """Sources into the interface's inputs, in order; what of it the computer gets for each."""
    kind = rig.kind(interface)
    free = list(microphone_inputs(kind))
    usb = list(outputs(kind, "usb")) if outputs(kind, "usb1") or kind.port("usb1") else []
    out = []
    for source in wired:
        ends = []
        for side, end in zip((-1.0, 1.0), source.ends, strict=False):
            into = free.pop(0)
            number = int(into.removeprefix("in"))
            port = next(port for port in kind.inputs if port.id == into)
            bring_in(rig, settled, source, end, interface, port)
            if len(source.ends) == 2 and port.strip is not None and port.strip.pan:
                rig.set(interface, into, pan=side)
            sides = {1: "usb.l", 2: "usb.r"}
            ends.append(f"{interface}.usb{number}" if f"usb{number}" in usb else f"{interface}.{sides[number]}")
        out.append((source, ends))
    return out


def _mixer(settled: Settled, mono: int, players: int, sends: int) -> str:
    """The mixer program that has enough inputs and sends; the larger one where neither has."""
    small = MIXERS[0]
    kind = settled.catalogue[small]
    singles = sum(not port.stereo for port in kind.inputs)
    pairs = sum(port.stereo for port in kind.inputs)
    fits = mono <= singles and players <= pairs and sends <= len(outputs(kind, "send"))
    name = small if fits else MIXERS[1]
    settled.stock.take(name)
    return name
