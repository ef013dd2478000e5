"""A strip's processors in their order: what is wrong with the order, what the chain does to a sound, how late it makes it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.dynamics import compress, compressor_curve, limit
from kymaphon.core.dynamics.envelope import GateStream, Turns, gate_turns, render
from kymaphon.core.dynamics.filters import equaliser_sections, key_sections, low_cut_sections
from kymaphon.core.dynamics.key import Signal, key_of
from kymaphon.core.dynamics.speech import SpeechSegments
from kymaphon.core.model.processing import (
    LEAST_DB,
    MOST_DB,
    NAMES,
    ORDER,
    Compressor,
    Ducker,
    Equaliser,
    Gate,
    Limiter,
    LowCut,
    Processing,
)

REASONS: dict[tuple[str, str], str] = {
    ("low-cut", "gate"): "Rumble that the low cut would take off opens the gate.",
    (
        "low-cut",
        "compressor",
    ): "Rumble works the compressor: it turns the voice down for what nobody should hear.",
    ("low-cut", "equaliser"): "Low cut first is the custom; between two filters the order changes nothing.",
    ("low-cut", "limiter"): "Rumble takes up the limiter's room.",
    (
        "gate",
        "compressor",
    ): "The compressor brings voice and room nearer together, and lets the gate's threshold sit nowhere.",
    ("gate", "limiter"): "The limiter turns the voice down before the gate has to tell it from the room.",
    ("gate", "equaliser"): "A change of the equaliser moves the gate's threshold.",
    ("compressor", "limiter"): "The limiter comes last: what follows it can pass its ceiling again.",
    ("equaliser", "limiter"): "The limiter comes last: what follows it can pass its ceiling again.",
    ("ducker", "limiter"): "The limiter comes last: what follows it can pass its ceiling again.",
}
"""Why the first has to come before the second: common practice, with its reason."""
HARMLESS = {("low-cut", "equaliser"), ("gate", "equaliser")}


@dataclass(frozen=True, slots=True)
class OrderProblem:
    """Two processors the wrong way round; `first` should come before `second`."""

    first: str
    second: str
    reason: str
    harmless: bool = False


def order_problems(sorts: Sequence[str]) -> tuple[OrderProblem, ...]:
    """What is wrong with an order of processors, in the order that they work."""
    found = []
    for (first, second), reason in REASONS.items():
        if first in sorts and second in sorts:
            last_first = len(sorts) - 1 - list(reversed(sorts)).index(first)
            if sorts.index(second) < last_first:
                found.append(OrderProblem(first, second, reason, (first, second) in HARMLESS))
    return tuple(found)


def in_order(chain: Sequence[Processing]) -> tuple[Processing, ...]:
    """A chain put into order; those of one sort keep theirs."""
    return tuple(sorted(chain, key=lambda row: ORDER.index(row.sort)))


def put_in(chain: Sequence[Processing], new: Processing) -> tuple[Processing, ...]:
    """A chain with a processor in its place, instead of the one of its sort if there is one."""
    same = [i for i, row in enumerate(chain) if row.sort == new.sort]
    if same:
        return tuple(new if i == same[0] else row for i, row in enumerate(chain))
    place = sum(1 for row in chain if ORDER.index(row.sort) <= ORDER.index(new.sort))
    return (*chain[:place], new, *chain[place:])


def run_chain(signal: Signal, chain: Sequence[Processing], sample_rate_hz: int, *, shift_db: float = 0.0) -> Signal:
    """What comes out of a chain; shape as `signal`, (frames,). Duckers are left out: they work on another sound.

    Args:
        shift_db: level at the chain for 0 dBFS of the signal: thresholds count as much less.

    Raises:
        ValueError: a filter's corner does not fit into the sample rate.
    """
    from scipy.signal import sosfilt

    out = signal.astype(np.float32, copy=True)
    for row in chain:
        if not row.on:
            continue
        if isinstance(row, LowCut | Equaliser):
            sections = (
                low_cut_sections(row, sample_rate_hz)
                if isinstance(row, LowCut)
                else equaliser_sections(row, sample_rate_hz)
            )
            out = sosfilt(sections, out).astype(np.float32)
        elif isinstance(row, Gate):
            gate = shifted(row, -shift_db)
            key = key_of(out, sample_rate_hz, key_sections(gate, sample_rate_hz))
            levels = key.detector(gate.detector, gate.detector_ms)
            out = render(out, gate_turns(levels, gate, key.step_s), gate, key.samples, sample_rate_hz)
        elif isinstance(row, Compressor):
            out = compress(out, row.with_(threshold_db=row.threshold_db - shift_db), sample_rate_hz)
        elif isinstance(row, Limiter):
            out = limit(out, row.with_(ceiling_db=row.ceiling_db - shift_db), sample_rate_hz)
    return out


def stream_gate(
    blocks: Iterable[Signal],
    low_cut: LowCut | None,
    gate: Gate,
    turned: Turns,
    samples_per_step: int,
    sample_rate_hz: int,
) -> Iterator[Signal]:
    """A low cut and a gate on a sound, block by block; what `run_chain` makes of all of it at once.

    Args:
        blocks: of one channel, in order, each of shape (frames,).
        turned: when the gate turns on the whole sound behind the low cut.
    """
    from scipy.signal import sosfilt

    sections = low_cut_sections(low_cut, sample_rate_hz) if low_cut is not None and low_cut.on else None
    state = None if sections is None else np.zeros((len(sections), 2))
    gated = GateStream(turned, gate, samples_per_step, sample_rate_hz)
    for block in blocks:
        if sections is not None:
            block, state = sosfilt(sections, block, zi=state)
        yield gated(np.asarray(block, dtype=np.float32))


def delay_ms(chain: Sequence[Processing]) -> float:
    """How late a chain makes the sound: its look-aheads."""
    return sum(row.look_ahead_ms for row in chain if row.on and isinstance(row, Gate | Limiter))


def shifted(gate: Gate, by_db: float) -> Gate:
    """The same gate at another point, where levels are so much higher."""
    return gate.model_copy(
        update={"open_db": _within(gate.open_db + by_db), "close_db": _within(gate.close_db + by_db)}
    )


def _within(level_db: float) -> float:
    """A threshold as a show can hold it: what lies beyond would be saved, and not be read again."""
    return round(min(max(level_db, LEAST_DB), MOST_DB), 2)


def moved(row: Processing, by_db: float) -> Processing:
    """The same processor at another point, where levels are so much higher: its thresholds go along."""
    if isinstance(row, Gate):
        return shifted(row, by_db)
    if isinstance(row, Compressor | Ducker):
        return row.model_copy(update={"threshold_db": _within(row.threshold_db + by_db)})
    if isinstance(row, Limiter):
        return row.model_copy(update={"ceiling_db": _within(row.ceiling_db + by_db)})
    return row


def brought_together(talk: SpeechSegments, compressor: Compressor) -> Derived:
    """How much nearer a compressor brings this talker's voice and room, when it comes before the gate."""
    taken = float(compressor_curve(np.array([talk.speech_dbfs]), compressor)[0])
    room = float(compressor_curve(np.array([talk.noise_dbfs]), compressor)[0])
    return Derived(
        "voice over room behind the compressor",
        talk.snr_db - taken + room,
        "dB",
        terms=(
            Derived("voice over room before it", talk.snr_db, "dB", source="measured"),
            Derived(
                "taken off the voice",
                -taken,
                "dB",
                source=f"{compressor.ratio:g} to 1 over {show_number(compressor.threshold_db, 'dBFS')}",
            ),
            Derived("taken off the room", room, "dB", source="the same curve"),
        ),
        adds=True,
    )


def words_of(row: Processing) -> str:
    """A processor as an operator would note it."""
    if isinstance(row, LowCut):
        text = f"{show_number(row.corner_hz, 'Hz')}, {row.slope_db_per_octave} dB an octave"
    elif isinstance(row, Gate):
        text = (
            f"opens {_plain(row.open_db)}, closes {_plain(row.close_db)}, attack {row.attack_ms:g} ms, hold {row.hold_ms:g} ms, "
            f"release {row.release_ms:g} ms, range {show_number(row.range_db, 'dB')}"
        )
    elif isinstance(row, Compressor):
        text = (
            f"{row.ratio:g} to 1 over {_plain(row.threshold_db)}, attack {row.attack_ms:g} ms, "
            f"release {row.release_ms:g} ms, made up {show_number(row.make_up_db, 'dB', sign=True)}"
        )
    elif isinstance(row, Limiter):
        text = f"ceiling {_plain(row.ceiling_db)}, release {row.release_ms:g} ms"
    elif isinstance(row, Ducker):
        text = (
            f"{show_number(row.depth_db, 'dB')} down over {_plain(row.threshold_db)}, attack "
            f"{row.attack_ms:g} ms, hold {row.hold_ms:g} ms, release {row.release_ms:g} ms"
        )
    else:
        text = ", ".join(
            f"{band.shape} {show_number(band.gain_db, 'dB', sign=True)} at {show_number(band.centre_hz, 'Hz')}"
            for band in row.bands
        )
    return f"{NAMES[row.sort]} {text}{'' if row.on else ' (off)'}"


def _plain(level_db: float) -> str:
    return show_number(level_db, "dB").removesuffix(" dB")
