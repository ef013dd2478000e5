"""The rig round a computer: an interface, one mixer program, calls beside it.

Each voice goes into the interface and on by USB into the mixer. Those at the microphones hear themselves at once by direct monitoring,
and everybody else by a send of the mixer that leaves them out; each call gets a send of its own: its mix-minus.
"""

from __future__ import annotations

from kymaphon.core.compose.ends import FarEnd, Single, far_end, headphones, recorder, stream, tracks
from kymaphon.core.compose.local import Source
from kymaphon.core.compose.rig import Rig, microphone_inputs, outputs
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue, Kind, Port
from kymaphon.core.wiring.power import host_budgets
from kymaphon.core.model.practice import practices
from kymaphon.core.model.delivery import Recording, Streaming

INTERFACES = ("interface-2", "interface-4", "interface-8")
HOSTS = ("laptop", "laptop-old")
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
            row, f"{row.name}: {count} inputs are wanted and the largest interface has {most}; a second rig, or fewer microphones."
        )
    kind = settled.catalogue[MIXERS[-1]]
    stereo = sum(port.stereo for port in kind.inputs)
    for row in settled.of("player")[stereo:]:
        settled.drop(row, f"{row.name}: the mixer has {stereo} stereo inputs, and as many players; one player can play it all.")
    inputs = len(kind.inputs)
    while sum(ends_of(settled, row) for row in settled.voices) > inputs:
        row = (settled.of("remote") or settled.in_rooms)[-1]
        text = f"{row.name}: the mixer has {inputs} inputs, and all are taken; fewer microphones, or a desk before the computer."
        settled.drop(row, text)


def ends_of(settled: Settled, row: VoiceAnswer) -> int:
    """Inputs that a voice takes: two for an instrument with two sides."""
    if row.microphone is None or row.sort != "instrument":
        return 1
    return 2 if settled.catalogue[row.microphone].outputs[0].stereo else 1


def without_usb(settled: Settled, at_most: int) -> None:
    """A USB microphone has no direct monitoring and goes into no desk: it is for one talker alone, at a computer."""
    rows = settled.in_rooms
    for row in rows:
        if row.microphone is None or settled.catalogue[row.microphone].outputs[0].domain != "digital" or len(rows) <= at_most:
            continue
        name = settled.catalogue[row.microphone].name
        settled.voices = tuple(v.with_(microphone=None) if v.id == row.id else v for v in settled.voices)
        settled.say(
            "heard",
            row.id,
            f"{row.name}: a {name} is for one talker alone at a computer: beside others everybody would hear it late. "
            "A microphone with a lead is proposed.",
        )


def build(rig: Rig, settled: Settled, parties: dict[str, str], sources: list[Source]) -> None:
    """Everything from the sockets of the microphones on."""
    place = settled.rooms[0].id if settled.rooms else None
    host_kind = settled.stock.first(HOSTS) or "laptop"
    settled.stock.take(host_kind)
    if place is None:
        place = "here"
        from kymaphon.core.model.show import Place

        rig.place(Place(id=place, name="Here", size_m=tuple(settings()["rooms"]["size_m"])))
    laptop = rig.device(host_kind, "laptop", rig.catalogue[host_kind].name, place=place)
    by_usb = [row for row in sources if row.usb]
    wired = [row for row in sources if not row.usb]
    pairs = headphones(rig, settled, parties)
    feeds: list[tuple[Source, list[str]]] = [(row, [row.ends[0]]) for row in by_usb]
    interface = None
    if wired or pairs:
        interface = _interface(rig, settled, laptop, place, sum(len(row.ends) for row in wired), bool(pairs))
        feeds = [*_plugged(rig, settled, interface, wired), *feeds]
    for row in by_usb:
        rig.change(row.device, host=laptop)
    players = settled.of("player")
    far = [row for row in settled.of("remote")]
    mono = sum(len(ends) for _, ends in feeds) + len(far)
    sends = len(far) + bool(pairs)
    mixer_kind = _mixer(settled, mono, len(players), sends)
    kind = rig.catalogue[mixer_kind]
    mixer = rig.device(mixer_kind, "mixer", kind.name, place=place, host=laptop)
    free = [port.id for port in kind.inputs if not port.stereo]
    stereo = [port.id for port in kind.inputs if port.stereo]
    singles: list[Single] = []
    for source, ends in feeds:
        for side, end in zip((-1.0, 1.0), ends, strict=False):
            into = free.pop(0) if free else stereo.pop()
            rig.lead(end, f"{mixer}.{into}")
            if len(ends) == 2 and into in {port.id for port in kind.inputs if port.strip and port.strip.pan}:
                rig.set(mixer, into, pan=side)
            singles.append(Single(source.party, source.voice.name + (", right" if side > 0 else ""), end))
    ends_far: list[FarEnd] = []
    for row in far:
        if not free and not stereo:
            settled.drop(row, f"{row.name}: the mixer has no input left for another call; fewer microphones, or a desk.")
            continue
        end = far_end(rig, settled, row, place=place, host=laptop)
        if settled.of("player", "instrument"):
            _unprocessed(rig, end)
        into = free.pop(0) if free else stereo.pop()
        rig.lead(end.out, f"{mixer}.{into}")
        # A handset without its automatic level is as quiet as it comes.
        raw = end.handset and bool(settled.of("player", "instrument"))
        singles.append(Single(end.party, row.name, end.out, settings()["handset_raw_db"] if raw else 0.0))
        ends_far.append(end)
    for row in players:
        if not stereo:
            settled.drop(row, f"{row.name}: the mixer has no stereo input left for another player.")
            continue
        program = _player(rig, settled, row, laptop, place)
        rig.lead(f"{program}.out", f"{mixer}.{stereo.pop(0)}")
    buses = [f"{mixer}.{port}" for port in outputs(kind, "send")]
    for end in ends_far:
        rig.lead(buses.pop(0), end.into)
    if interface is not None and pairs:
        if ends_far or settled.of("player"):
            # Those at the microphones hear each other by direct monitoring; from the computer comes what is not at the interface.
            rig.lead(buses.pop(0), f"{interface}.usb-in")
        headphone_leads(rig, settled, interface, pairs)
    into = stream(rig, settled, laptop, place)
    if into is not None:
        rig.lead(f"{mixer}.out", into)
    row = settled.hearer("recording")
    if row is not None and row.each:
        tracks(rig, settled, laptop, place, singles)
        rig.show = rig.show.model_copy(update={"recording": Recording(way="each")})
    else:
        into = recorder(rig, settled, laptop, place)
        if into is not None:
            rig.lead(f"{mixer}.out", into)
    _within_budget(rig, settled)
    if settled.hearer("stream") is not None:
        rig.show = rig.show.model_copy(update={"streaming": Streaming(audio_kbps=settings()["stream"]["audio_kbps"])})


def _unprocessed(rig: Rig, end: FarEnd) -> None:
    """A call that carries music: what takes it for noise or echo on its way out is off."""
    call = end.into.split(".")[0]
    for row in rig.kind(call).processors:
        # A handset gives some of what it hears back: then the far end's own processing has music in it as well.
        if row.on and (not row.far or end.handset):
            rig.set(call, row.id, on=False)


def _interface(rig: Rig, settled: Settled, host: str, place: str, count: int, ears: bool) -> str:
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
                f"{most.name}: {len(microphone_inputs(most))} inputs for {needed} that are wanted; a {_small(kind.name)} takes them all.",
            )
    settled.stock.take(kind.id)
    made = rig.device(kind.id, "interface", kind.name, place=place, host=host)
    for path in kind.paths:
        # What is offered back to the computer beside the inputs themselves would bring each voice twice.
        if path.source in {bus.id for bus in kind.buses} and path.switch and path.target.startswith("usb"):
            rig.set(made, path.key, on=False)
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
    mixed = not kind.is_desk and (settled.hearer("stream") is not None or (record is not None and not record.each))
    over = settings()["boost_from_db"] if mixed else -settings()["centre_db"]
    return bool(level_dbu + port.strip.gain_db[1] < full + mark - over)


def _within_budget(rig: Rig, settled: Settled) -> None:
    """Power for what draws more than its computer gives: its own adaptor, else a hub with a supply."""
    for budget in host_budgets(rig.show, rig.catalogue):
        if budget.gives.value >= budget.drawn.value:
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


def _player(rig: Rig, settled: Settled, row, host: str, place: str) -> str:  # type: ignore[no-untyped-def]
    settled.stock.take("player-program")
    program = rig.device("player-program", f"player-{row.id}", row.name, place=place, host=host)
    rig.set(program, "single", on=True)
    rig.party(row.id, row.name, "player", speaks=True, plays_on=f"{program}.out")
    return program


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


def _small(name: str) -> str:
    return name[:1].lower() + name[1:]
