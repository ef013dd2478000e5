"""Rules of Quiet: strips whose processors are in a wrong order, stand twice, or no longer fit the levels that come there."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.chain import in_order, order_problems, shifted
from kymaphon.core.dynamics.places import StripPlace, missing_words, strips_of
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.processing import NAMES, Gate, Processing
from kymaphon.core.model.stages import Severity
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.rig_controls import TWICE, working_in

Placed = tuple[str, StripPlace]
"""The first voice that passes a strip, and the strip."""


@rule(
    "chain-order",
    "chain-not-there",
    "chain-twice",
    "gate-never-opens",
    "gate-never-shuts",
    "gate-gain-moved",
    "gate-shared",
    stage="Quiet",
    reads=("feeds",),
)
def quiet_rules(analysis: Computed) -> Iterator[Finding]:
    """All of them, on the strips that do something; where none does there is nothing to look at."""
    if not any(setting.chain for device in analysis.show.devices for setting in device.settings.values()):
        return
    ways = {voice.id: strips_of(analysis, voice.id) for voice in analysis.voices}
    seen = set()
    placed: list[Placed] = []
    for voice, places in ways.items():
        for place in places:
            if place.chain and place.ref not in seen:
                seen.add(place.ref)
                placed.append((voice, place))
    yield from chain_order(analysis, placed)
    yield from chain_not_there(analysis, placed)
    yield from chain_twice(analysis, ways)
    gates = list(_gates(analysis, placed))
    yield from gate_against_levels(analysis, gates)
    yield from gate_gain_moved(analysis, gates)
    yield from gate_shared(analysis, gates)


def chain_order(analysis: Computed, placed: list[Placed]) -> Iterator[Finding]:
    """Gate before compressor, low cut first, limiter last."""
    for voice, place in placed:
        problems = order_problems([row.sort for row in place.chain if row.on])
        if not problems:
            continue
        worst = next((row for row in problems if not row.harmless), problems[0])
        names = f"{NAMES[worst.second]} before {NAMES[worst.first]}"
        better = in_order(place.chain)
        effect = f"Then it goes {', '.join(NAMES[row.sort] for row in better)}; thresholds stay, so listen again."
        yield Finding(
            "chain-order",
            "note" if worst.harmless else "fix",
            "Quiet",
            (voice, place.ref.device),
            f"{place.name}: {names}",
            f"{analysis.party_name(voice)}'s strip has the {names}. {worst.reason}",
            remedies=(
                Remedy("in-order", f"{NAMES[worst.first].capitalize()} first", effect, (SetValue(place.ref, better),)),
            ),
        )


def chain_not_there(analysis: Computed, placed: list[Placed]) -> Iterator[Finding]:
    """A strip is set to do what it has not."""
    for voice, place in placed:
        lacking = [row.sort for row in place.chain if row.on and not place.has(row.sort)]
        if lacking:
            text = f"{analysis.party_name(voice)}: {' '.join(missing_words(place, sort) for sort in lacking)}"
            yield Finding(
                "chain-not-there",
                "note",
                "Quiet",
                (voice, place.ref.device),
                f"{place.name} has no {NAMES[lacking[0]]}",
                text,
            )


def chain_twice(analysis: Computed, ways: dict[str, tuple[StripPlace, ...]]) -> Iterator[Finding]:
    """The same sort of processor in two strips of one way, or in a strip and in a device that does it anyway."""
    for voice in analysis.voices:
        places = ways[voice.id]
        if not any(place.chain for place in places):
            continue
        ladder = analysis.any_ladder(voice.id)
        if ladder is None:
            continue
        feed = analysis.feeds.get((ladder.target, voice.id))
        built_in = working_in(analysis, feed.path) if feed is not None and feed.path is not None else []
        for job, harm in TWICE.items():
            rows = [(place, row) for place in places for row in place.chain if row.sort == job and row.on]
            names = [place.name for place, _ in rows]
            names += [
                f"{analysis.device_name(row.device.id)}, {row.processor.name}"
                for row in built_in
                if row.processor.does == job
            ]
            if len(names) < 2 or not rows:
                continue
            last, what = rows[-1]
            off = tuple(row.model_copy(update={"on": False}) if row is what else row for row in last.chain)
            yield Finding(
                "chain-twice",
                "fix",
                "Quiet",
                (voice.id, last.ref.device),
                f"Twice {job} in {voice.name}'s path",
                f"{voice.name} passes {' and '.join(names)}, each with a {job}: {harm}. Keep one.",
                (Derived("of a kind", len(names), ""),),
                None,
                (
                    Remedy(
                        "off",
                        f"Switch off: {last.name}, {NAMES[what.sort]}",
                        "One is left to do it.",
                        (SetValue(last.ref, off),),
                    ),
                ),
            )


PlacedGate = tuple[str, StripPlace, Gate, Rung]


def _gates(analysis: Computed, placed: list[Placed]) -> Iterator[tuple[str, StripPlace, Gate, Rung]]:
    """Every gate that is on, with its own voice and the levels there."""
    for voice, place in placed:
        ladder = analysis.any_ladder(voice)
        rung = next((row for row in ladder.rungs if row.node == place.node), None) if ladder is not None else None
        for row in place.chain:
            if isinstance(row, Gate) and row.on and rung is not None:
                yield voice, place, row, rung


def gate_against_levels(analysis: Computed, gates: list[PlacedGate]) -> Iterator[Finding]:
    """A gate that the voice cannot open, or that the room never lets shut, by the levels that the ladder has there."""
    for voice, place, gate, rung in gates:
        name = analysis.party_name(voice)
        peaks = gate.detector == "peak"
        crest = figure("crest-usual") if peaks else Derived("an rms detector reads no crest", 0.0, "dB")
        speech = Derived("speech there", rung.speech_db, rung.unit, source="the ladder")
        over = Derived(
            f"{name}'s peaks over the opening threshold" if peaks else f"{name} over the opening threshold",
            rung.speech_db + crest.value - gate.open_db,
            "dB",
            terms=(speech, crest, Derived("less the opening threshold", -gate.open_db, "dB", source="setting")),
            adds=True,
        )
        if over.value < number("gate-opens-by"):
            severity: Severity = "stop" if over.value < 0 else "fix"
            want = round(rung.speech_db + crest.value - 2 * number("gate-opens-by"), 1)
            text = (
                f"{name}'s gate opens at {show_number(gate.open_db, rung.unit)}, and speech comes to "
                f"{show_number(rung.speech_db + crest.value, rung.unit)} there: "
                + ("nobody would hear a word." if severity == "stop" else "only the loudest words get through.")
            )
            lower = shifted(gate, want - gate.open_db)
            yield Finding(
                "gate-never-opens",
                severity,
                "Quiet",
                (voice, place.ref.device),
                f"{name} does not open the gate",
                text,
                (over,),
                over,
                (
                    _with(
                        place,
                        gate,
                        lower,
                        "lower",
                        f"Open at {show_number(want, rung.unit)}",
                        "The closing threshold goes along.",
                    ),
                ),
            )
        if not rung.noise_db:
            continue
        noise = Derived("noise there", rung.noise_flat_db, rung.unit, source="the ladder")
        loud = figure("noise-crest") if peaks else Derived("an rms detector reads no crest", 0.0, "dB")
        under = Derived(
            "closing threshold over the noise",
            gate.close_db - rung.noise_flat_db - loud.value,
            "dB",
            terms=(
                Derived("closing threshold", gate.close_db, rung.unit, source="setting"),
                Derived("less the noise", -noise.value, "dB", source="the ladder"),
                Derived("less its crest", -loud.value, "dB", source=loud.source),
            ),
            adds=True,
        )
        if under.value < 0:
            text = (
                f"{name}'s gate closes below {show_number(gate.close_db, rung.unit)}, and the noise there comes to "
                f"{show_number(rung.noise_flat_db + loud.value, rung.unit)}: once open it stays open."
            )
            raised = shifted(gate, -under.value + 1)
            remedy = _with(
                place,
                gate,
                raised,
                "raise",
                f"Close below {show_number(raised.close_db, rung.unit)}",
                "The opening threshold goes along.",
            )
            fits = raised.open_db < rung.speech_db + crest.value - number("gate-opens-by")
            yield Finding(
                "gate-never-shuts",
                "fix",
                "Quiet",
                (voice, place.ref.device),
                f"{name}'s gate stays open",
                text,
                (under,),
                under,
                (remedy,) if fits else (),
            )


def gate_gain_moved(analysis: Computed, gates: list[PlacedGate]) -> Iterator[Finding]:
    """The strip's gain was turned since its gate was set: the gate's thresholds did not go along."""
    for voice, place, gate, _ in gates:
        if gate.set_at_gain_db is None or place.gain_db is None:
            continue
        turned = Derived(
            "turned since",
            place.gain_db - gate.set_at_gain_db,
            "dB",
            terms=(
                Derived("gain now", place.gain_db, "dB", source="setting"),
                Derived(
                    "less the gain that the gate was set at", -gate.set_at_gain_db, "dB", source="noted with the gate"
                ),
            ),
            adds=True,
        )
        if abs(turned.value) < number("gate-follows"):
            continue
        name = analysis.party_name(voice)
        way = "up" if turned.value > 0 else "down"
        harm = (
            "the room lies so much nearer to the threshold"
            if turned.value > 0
            else "quiet words may stay under the threshold"
        )
        again = shifted(gate, turned.value).model_copy(update={"set_at_gain_db": place.gain_db})
        yield Finding(
            "gate-gain-moved",
            "fix",
            "Quiet",
            (voice, place.ref.device),
            f"{name}'s gate did not follow the gain",
            f"{place.name} was turned {way} by {show_number(abs(turned.value), 'dB')} after its gate was set: {harm}.",
            (turned,),
            turned,
            (
                _with(
                    place,
                    gate,
                    again,
                    "follow",
                    f"Thresholds {show_number(turned.value, 'dB', sign=True)}",
                    f"Opens at {show_number(again.open_db, place.unit)}, closes below {show_number(again.close_db, place.unit)}.",
                ),
                _with(
                    place,
                    gate,
                    gate.model_copy(update={"set_at_gain_db": place.gain_db}),
                    "keep",
                    "Keep the thresholds",
                    "They were set by ear since; they count as set at today's gain.",
                ),
            ),
        )


def gate_shared(analysis: Computed, gates: list[PlacedGate]) -> Iterator[Finding]:
    """A gate in a strip that several talkers pass: it opens for any of them, and lets the room of all through."""
    for voice, place, _, _ in gates:
        others = [row for row in place.shared if analysis.show.party(row).kind != "player"]
        if others:
            names = ", ".join(analysis.party_name(row) for row in (voice, *others))
            text = (
                f"{names} all pass the gate in {place.name}: whoever speaks opens it for every "
                "microphone. A gate in each strip of its own parts them."
            )
            yield Finding(
                "gate-shared",
                "note",
                "Quiet",
                (voice, place.ref.device),
                f"One gate for {len(others) + 1}",
                text,
                (Derived("voices", len(others) + 1, ""),),
            )


def _with(place: StripPlace, old: Processing, new: Processing, id_: str, label: str, effect: str) -> Remedy:
    chain = tuple(new if row is old else row for row in place.chain)
    return Remedy(id_, label, effect, (SetValue(place.ref, chain),))
