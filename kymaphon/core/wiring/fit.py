"""Whether an output and an input belong together: plugs, contacts, levels, impedances, and what would make them fit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.computing.build import input_ohm, loading, one_leg
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.connectors import (
    Adapter,
    adapter_between,
    adapters,
    balanced,
    connectors,
    family,
    mate,
    one_hole,
)
from kymaphon.core.model.ends import End, ends_of
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Show
from kymaphon.core.model.stages import Severity

LINES = ("line", "headphone")
PADS = (10, 20, 40)
"""In-line pads of the catalogue, dB."""


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that speaks against a cable. `severity` is that of the finding it makes; `cost` orders the list of ports.

    `blocks` says that it does not work at all as it is.
    """

    code: str
    severity: Severity
    title: str
    text: str
    why: Derived | None = None
    figures: tuple[Derived, ...] = ()
    blocks: bool = False

    @property
    def cost(self) -> float:
        return (100.0 if self.blocks else 0.0) + {"stop": 30.0, "fix": 10.0, "note": 1.0}[self.severity]


@dataclass(frozen=True, slots=True)
class Fit:
    """How well two ends go together.

    Attributes:
        adapter: what is needed between them, or is there; None when they join as they are.
        faults: the worst first; empty when all is well.
    """

    source: End
    target: End
    adapter: Adapter | None
    faults: tuple[Fault, ...]

    @property
    def works(self) -> bool:
        """Whether signal gets through, an adapter that is needed taken as used."""
        return not any(row.blocks for row in self.faults)

    @property
    def cost(self) -> float:
        """Lower is better."""
        return sum(row.cost for row in self.faults) + (3.0 if self.adapter is not None else 0.0)

    @property
    def words(self) -> str:
        """Why it does not fit, or what it takes, in one line."""
        if self.faults:
            return self.faults[0].title
        return f"with {_article(self.adapter.name)}" if self.adapter is not None else "fits"


def _article(name: str) -> str:
    return f"{'an' if name.startswith('XLR') else 'a'} {name}"


@dataclass(frozen=True, slots=True)
class Comes:
    """What really comes out of an analogue output in a show: its average, and how far the highest peaks of what it is go over that."""

    average_dbu: float
    crest: Derived


def fit_of(source: End, target: End, adapter: str | None = None, comes: Comes | None = None) -> Fit:
    """How an output and an input go together.

    Args:
        adapter: id of the adapter that is used; None leaves it to be found.
        comes: what really comes out of the source, where it is known.
    """
    faults: list[Fault] = []
    needed: Adapter | None = None
    faults += _domain(source, target)
    if not faults:
        needed, found = _plugs(source, target, adapter)
        faults += found
    if not any(row.blocks for row in faults):
        faults += _levels(source, target, comes)
        faults += _impedances(source, target)
    faults.sort(key=lambda row: -row.cost)
    return Fit(source, target, needed, tuple(faults))


def _domain(source: End, target: End) -> Iterator[Fault]:
    out, into = source.port, target.port
    if "acoustic" in (out.domain, into.domain):
        yield Fault(
            "plug-impossible",
            "stop",
            "sound needs no cable",
            f"{source.name} is sound: it needs no cable.",
            blocks=True,
        )
    elif out.domain != into.domain:
        words = {"analog": "analogue", "digital": "digital"}
        title = f"{words[out.domain]} into {words[into.domain]}"
        yield Fault(
            "plug-impossible",
            "stop",
            title,
            f"{source.name} is {words[out.domain]} and {target.name} {words[into.domain]}: a converter must stand between.",
            blocks=True,
        )
    elif out.connector == "inside" and into.connector == "usb" and target.kind.is_computer:
        title = "from inside a computer into its own USB socket"
        yield Fault(
            "plug-impossible",
            "stop",
            title,
            f"{source.name} is inside the computer already: {target.name} is for what is plugged in from outside.",
            blocks=True,
        )
    elif out.socket and out.socket == into.socket and source.device.id == target.device.id:
        yield Fault(
            "plug-impossible",
            "stop",
            "one and the same socket",
            f"{source.name} and {target.name} are one socket.",
            blocks=True,
        )


def _plugs(source: End, target: End, given: str | None) -> tuple[Adapter | None, list[Fault]]:
    """The adapter that the two ends need, and what is wrong with their plugs when it is not used."""
    out, into = source.port, target.port
    first, second = family(out), family(into)
    if not first or not second:
        return (adapters()[given] if given else None), []
    used = adapters()[given] if given else None
    form = _form(source, target)
    if form is not None:
        shape = adapters()[form[0]]
        if used is not None and used.id == shape.id:
            return used, []
        return shape, [Fault(form[1], "fix", form[2], form[3], _contacts(source, target))]
    if mate(first, second):
        return used, []
    adapter = adapter_between(first, second)
    name, other = connectors()[out.connector or ""].name, connectors()[into.connector or ""].name
    if adapter is None:
        text = f"{source.name} is {name} and {target.name} is {other}: no adapter joins them."
        return None, [Fault("plug-impossible", "stop", f"{name} into {other}", text, blocks=True)]
    if used is not None and used.id == adapter.id:
        return used, []
    text = f"{source.name} is {name} and {target.name} is {other}: it takes {_article(adapter.name)}."
    return adapter, [Fault("plug-mismatch", "fix", f"{name} into {other}", text, _contacts(source, target))]


def _contacts(source: End, target: End) -> Derived:
    rows = tuple(
        Derived(
            f"{end.name}: {connectors()[end.port.connector or ''].name}",
            connectors()[end.port.connector or ""].contacts,
            "",
            source=f"device data: {end.kind.name}",
        )
        for end in (source, target)
    )
    return Derived("contacts of the two ends", rows[0].value, "", terms=rows, source="the two sockets")


def _form(source: End, target: End) -> tuple[str, str, str, str] | None:
    """Adapter, code, title and text where plugs fit and their contacts mean different things."""
    out, into = source.port, target.port
    four = "minijack-4"
    if "mic" in (source.level, into.level) and into.connector == four and out.connector != four:
        text = (
            f"{source.name} is on a plug of {connectors()[out.connector or ''].contacts} contacts; "
            f"the four-contact socket of {target.device.name or target.kind.name} looks for its microphone on the fourth."
        )
        return "headset-splitter", "contacts-mismatch", "microphone on the wrong contact", text
    if source.level == "mic" and out.connector == four and into.connector != four and out.socket:
        text = f"{source.name} is on the fourth contact of its plug, which {target.name} does not have."
        return "headset-splitter", "contacts-mismatch", "microphone on a contact that is not there", text
    if one_hole(out) and not into.stereo:
        if balanced(into):
            text = (
                f"{source.name} has left and right on one plug; {target.name} takes the difference "
                "of its two contacts: what is the same on both sides, a voice in the middle, vanishes."
            )
            return "stereo-breakout", "stereo-into-balanced", "stereo into a balanced input", text
        if source.side:
            text = f"{source.name} shares its socket with the other side: it takes a plug that parts them."
            return "stereo-breakout", "plug-mismatch", "two sides on one plug", text
    whole = out.stereo and into.stereo and not source.side and not target.side
    if whole and one_hole(out) != one_hole(into) and mate(family(out), family(into)):
        one, two = (source, target) if one_hole(out) else (target, source)
        text = f"{one.name} has both sides on one plug, {two.name} has a socket for each."
        return "stereo-breakout", "plug-mismatch", "two sides on one plug", text
    if one_hole(into) and not out.stereo and balanced(out) and family(out) == family(into):
        text = f"{source.name} is balanced: in the stereo socket of {target.name} the right side would be upside down."
        return "both-ears", "contacts-mismatch", "balanced into a stereo socket", text
    return None


def gain_range(end: End) -> tuple[float, float]:
    """Least and most gain at an input, its pad left out."""
    strip = end.port.strip
    return strip.gain_db if strip is not None and strip.gain_db is not None else (0.0, 0.0)


def _levels(source: End, target: End, comes: Comes | None) -> Iterator[Fault]:
    out = source.port
    if out.domain != "analog":
        return
    if source.level == "speaker" and target.level != "speaker":
        text = (
            f"{source.name} carries what drives loudspeakers, up to {show_number(out.max_db or 34.0, 'dBu', sign=True)}: "
            f"it can destroy {target.name}."
        )
        yield Fault("speaker-into-input", "stop", "loudspeaker level into an input", text, blocks=True)
    elif target.level == "speaker" and source.level != "speaker":
        text = f"{target.name} has no amplifier, and {source.name} gives no power: nothing is heard."
        yield Fault("no-amplifier", "fix", "no amplifier before the loudspeaker", text, blocks=True)
    elif source.level in LINES and target.level == "mic":
        yield from _line_into_mic(source, target, comes)
    elif source.level in ("mic", "instrument") and target.level in LINES:
        yield from _mic_into_line(source, target, comes)
    elif target.level == "headphone" and source.level != "headphone":
        yield from _headphones(source, target)
    elif source.level == "line" and target.level == "line":
        yield from _line_standards(source, target)


def pad_needed(source: End, target: End, comes: Comes | None) -> Derived:
    """How much a line is too strong for a microphone input: its peaks against what the input bears, its pad as it stands.

    The line's peaks are those that really come (the average and the peaks of what it is, speech or music; what people gain on warming up is
    Level's matter), less what the input's impedance and an unbalanced socket take off; else its nominal level and 18 dB (EBU R 68).
    """
    into = target.port
    strip = into.strip
    pad = strip.pad_db if strip is not None and strip.pad_db and target.setting.pad else 0.0
    most = Derived(f"{target.name} bears", into.max_db or 0.0, "dBu", source=f"device data: {target.kind.name}")
    if comes is None:
        nominal = Derived(
            f"{source.name}, nominal", source.nominal_dbu, "dBu", source=f"device data: {source.kind.name}"
        )
        rise: tuple[Derived, ...] = (nominal, figure("line-headroom"))
    else:
        rise = (
            Derived(f"{source.name}, average in this show", comes.average_dbu, "dBu", source="computed"),
            comes.crest,
        )
        ohms = input_ohm(target.device, into)
        if source.port.impedance_ohm and ohms:
            rise += (loading(source.port.impedance_ohm, [ohms]),)
        rise += one_leg(source, into)
    value = sum(row.value for row in rise) - most.value - pad
    terms: tuple[Derived, ...] = (*rise, Derived(f"less: {most.name}", -most.value, "dB", source=most.source))
    if pad:
        terms = (*terms, Derived("less: its pad", -pad, "dB", source=f"device data: {target.kind.name}"))
    return Derived("too strong by", value, "dB", "sum of the lines", terms, "", True)


def pad_for(need_db: float, least: int = PADS[0]) -> int:
    """The smallest in-line pad that takes off so much, dB; the strongest where none does."""
    return next((db for db in PADS if db >= max(need_db, least)), PADS[-1])


def _line_into_mic(source: End, target: End, comes: Comes | None) -> Iterator[Fault]:
    if target.port.max_db is None:
        return
    over = pad_needed(source, target, comes)
    if over.value <= 0:
        if comes is not None:
            full = pad_needed(source, target, None)
            if full.value > 0 and not _one_time(comes.average_dbu, source):
                text = (
                    f"{source.name} is line level into the microphone input {target.name}; at "
                    "today's "
                    f"level its peaks fit, at full level they would be {full.value:.1f} dB too strong."
                )
                yield Fault(
                    "line-into-mic",
                    "note",
                    "line into a microphone input",
                    text,
                    full,
                    (Derived("over at full level", full.value, "dB"),),
                )
        return
    text = f"{source.name} is line level and {target.name} a microphone input: peaks are {over.value:.1f} dB more than it bears; it takes a pad."
    yield Fault(
        "line-into-mic",
        "fix",
        f"line into a microphone input, {over.value:.0f} dB too strong",
        text,
        over,
        (Derived("pad needed", over.value, "dB"),),
    )


def _one_time(level_dbu: float, source: End) -> bool:
    """Whether a line runs so far under its nominal level that its full level never comes."""
    return level_dbu < source.nominal_dbu - number("line-headroom")


def _mic_into_line(source: End, target: End, comes: Comes | None) -> Iterator[Fault]:
    mean = (
        Derived(f"{source.name}, average in this show", comes.average_dbu, "dBu", source="computed")
        if comes is not None
        else figure("mic-output")
    )
    goal = Derived(f"{target.name} waits for", target.nominal_dbu, "dBu", source=f"device data: {target.kind.name}")
    most = Derived(f"{target.name}, most gain", gain_range(target)[1], "dB", source=f"device data: {target.kind.name}")
    missing = Derived(
        "gain missing",
        goal.value - mean.value - most.value,
        "dB",
        "sum of the lines",
        (
            goal,
            Derived(f"less: {mean.name}", -mean.value, "dB", source=mean.source),
            Derived(f"less: {most.name}", -most.value, "dB", source=most.source),
        ),
        "",
        True,
    )
    if missing.value <= number("gain-short") or (
        source.level == "instrument" and missing.value <= number("gain-short-instrument")
    ):
        return
    text = (
        f"{source.name} gives about {show_number(mean.value, 'dBu')} and the line input {target.name} can add "
        f"{most.value:.0f} dB: {missing.value:.0f} dB of gain are missing."
    )
    yield Fault(
        "mic-into-line",
        "fix",
        f"microphone into a line input, {missing.value:.0f} dB missing",
        text,
        missing,
        (Derived("gain missing", missing.value, "dB"),),
    )


def _headphones(source: End, target: End) -> Iterator[Fault]:
    ohms = source.port.impedance_ohm or 0.0
    if ohms < number("headphone-step") and source.level != "mic":
        return
    load = target.port.impedance_ohm or 0.0
    loss = loading(ohms, [load]) if ohms and load else None
    lost = f" and loses {abs(loss.value):.1f} dB in its own {ohms:.0f} ohm" if loss is not None else ""
    text = (
        f"{source.name} is made for inputs of 10 kohm: into the {load:.0f} ohm of {target.name} it distorts{lost}; "
        "a headphone amplifier must stand between."
    )
    yield Fault(
        "headphones-from-line",
        "fix",
        "headphones on a line output",
        text,
        loss,
        (Derived("loss", loss.value, "dB"),) if loss is not None else (),
    )


def _line_standards(source: End, target: End) -> Iterator[Fault]:
    given, wanted = source.nominal_dbu, target.nominal_dbu
    gap = Derived(
        "difference of the two",
        given - wanted,
        "dB",
        "sum of the lines",
        (
            Derived(f"{source.name}, nominal", given, "dBu", source=f"device data: {source.kind.name}"),
            Derived(f"less: {target.name}, nominal", -wanted, "dB", source=f"device data: {target.kind.name}"),
        ),
        "-10 dBV is -7.78 dBu",
        True,
    )
    low, high = gain_range(target)
    turned = target.setting.gain_db
    if abs(gap.value) <= number("line-step"):
        return
    have = turned if turned is not None else 0.0
    if low != high and abs(have + gap.value) <= number("line-step"):
        return
    text = f"{source.name} is made for {show_number(given, 'dBu', sign=True)} and {target.name} for {show_number(wanted, 'dBu', sign=True)}: "
    if gap.value < 0:
        yield Fault(
            "consumer-into-professional",
            "note",
            f"{abs(gap.value):.1f} dB too quiet",
            f"{text}it comes {abs(gap.value):.1f} dB too quiet, and the noise of what follows is that much nearer.",
            gap,
            (Derived("too quiet", -gap.value, "dB"),),
        )
    elif low == high:
        yield Fault(
            "professional-into-consumer",
            "fix",
            f"{gap.value:.1f} dB too strong",
            f"{text}it comes {gap.value:.1f} dB too strong and may clip there.",
            gap,
            (Derived("too strong", gap.value, "dB"),),
        )


def _impedances(source: End, target: End) -> Iterator[Fault]:
    out = source.port.impedance_ohm
    load = input_ohm(target.device, target.port)
    if not out or not load or {source.level, target.level} & {"headphone", "speaker"}:
        return
    if source.level == "mic" and source.port.connector == target.port.connector == "minijack-4":
        return  # a headset's capsule and the socket that feeds it are made for each other
    if source.port.domain != "analog" or target.port.domain != "analog":
        return
    loss = loading(out, [load])
    if abs(loss.value) < number("loading-tolerance"):
        if source.level == "instrument" and load < number("pickup-load") / 2:
            text = f"{source.name} is a passive pickup: the {load / 1000:.0f} kohm of {target.name} damp its treble; it wants 1 Mohm."
            yield Fault(
                "loaded-down", "fix", "a passive pickup loaded down", text, loss, (Derived("loss", loss.value, "dB"),)
            )
        return
    if source.level == "line" and load == out:
        return  # matched lines, 600 ohm into 600 ohm, are as they are meant to be
    want = "; it wants 1 Mohm" if source.level == "instrument" else ""
    text = f"{source.name} has {out:.0f} ohm and {target.name} only {load:.0f}: it loses {abs(loss.value):.1f} dB, and treble with it{want}."
    yield Fault(
        "loaded-down",
        "fix",
        f"loaded down by {abs(loss.value):.1f} dB",
        text,
        loss,
        (Derived("loss", loss.value, "dB"),),
    )


def partners(
    show: Show, catalogue: Catalogue, end: End, *, output: bool, levels: dict[str, Comes] | None = None
) -> list[Fit]:
    """Every free end on the other side, the best fitting first; what does not fit comes last and says why.

    Args:
        output: whether `end` is an output; the partners are then inputs.
        levels: what comes out of outputs, by reference, where known.
    """
    taken = {cable.target for cable in show.cables}
    known = levels or {}
    rows: list[tuple[float, int, Fit]] = []
    for i, other in enumerate(ends_of(show, catalogue, "input" if output else "output")):
        if other.device.id == end.device.id or (output and not other.port.mixes and _occupied(other.ref, taken)):
            continue
        source, target = (end, other) if output else (other, end)
        fit = fit_of(source, target, comes=known.get(source.ref))
        cost = fit.cost
        if bool(source.side) != bool(target.side) and source.port.stereo and target.port.stereo:
            cost += 8  # one side of a pair into a whole pair
        elif source.port.stereo != target.port.stereo and not source.side and not target.side:
            cost += 2
        if source.side and not target.port.stereo:
            cost += 0.5
        if source.port.connector != target.port.connector and source.port.domain == "digital":
            cost += 0.6
        if source.port.connector == "network" and (
            target.port.connector not in ("network", "inside") or target.device.id == source.device.host
        ):
            cost += 20  # what the far end hears is nothing to play in the house
        if other.device.place != end.device.place and None not in (other.device.place, end.device.place):
            cost += 5
        if other.kind.is_computer:
            cost += 3  # its own sockets come last: the rig is there to do without them
        if not output and any(cable.source == other.ref for cable in show.cables):
            cost += 4
        rows.append((cost, i, fit))
    rows.sort(key=lambda row: row[:2])
    return [fit for _, _, fit in rows]


def _occupied(reference: str, taken: set[str]) -> bool:
    """Whether a socket, or a part of it, has a plug in it."""
    base = PortId.of(reference).socket
    if reference in taken or base in taken:
        return True
    return reference == base and bool({f"{base}.l", f"{base}.r"} & taken)
