"""One word under a gate: how far it rises over the threshold, when, what is lost of it, and what would save it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.chain import shifted
from kymaphon.core.dynamics.evaluation import Eaten, Evaluation, Trial
from kymaphon.core.figures import figure
from kymaphon.core.model.processing import LONGEST_HOLD_MS, Gate

SAVE_STEP_DB = 0.5
SAVE_MOST_DB = 40.0


@dataclass(frozen=True)
class WordUnderGate:
    """A word and what a gate does to it.

    Attributes:
        eaten: what is lost; None where no more is lost than is let pass.
        lines: its sums.
    """

    number: int
    eaten: Eaten | None
    lines: tuple[Derived, ...]

    @property
    def title(self) -> str:
        if self.eaten is None:
            return f"Word {self.number + 1} is whole"
        part = self.eaten.part
        return f"Word {self.number + 1} is lost" if self.eaten.whole else f"Word {self.number + 1} loses its {part}"


def explain_word(trial: Trial, verdict: Evaluation, number: int) -> WordUnderGate:
    """A word under the gate that a verdict is of.

    Raises:
        IndexError: there is no such word.
    """
    word, gate = trial.talk.words[number], verdict.gate
    a, b = (round(at) for at in trial.words[number])
    levels = trial.levels[a : max(b, a + 1)]
    top = float(levels.max())
    if gate is None:
        return WordUnderGate(
            number, None, (Derived("its highest level", top, "dBFS", source="as the detector reads it"),)
        )
    eaten = next((row for row in verdict.eaten if row.number == number), None)
    lines = [
        Derived(
            "over the opening threshold",
            top - gate.open_db,
            "dB",
            terms=(
                Derived("its highest level", top, "dBFS", source=f"{gate.detector} detector, {gate.detector_ms:g} ms"),
                Derived("less the opening threshold", -gate.open_db, "dB", source="setting"),
            ),
            adds=True,
        )
    ]
    over = np.flatnonzero(levels >= gate.open_db)
    open_before = bool(((verdict.open_s <= word.start_s) & (verdict.shut_s > word.start_s)).any())
    if len(over) and not open_before:
        late = float(over[0]) * trial.step_s * 1000
        lines.append(Derived("passes it after its start", late, "ms", source="first step at or over the threshold"))
        lines.append(Derived("attack", gate.attack_ms, "ms", source="setting; the last part of it is heard"))
    if eaten is not None:
        for name, value, limit in (
            ("lost of its start", eaten.start_ms, "gate-start-lost"),
            ("lost in its middle", eaten.middle_ms, "gate-middle-lost"),
            ("lost of its end", eaten.end_ms, "gate-end-lost"),
        ):
            let = figure(limit)
            if value > let.value or (eaten.whole and name == "lost of its start"):
                lines.append(
                    Derived(
                        name,
                        value,
                        "ms",
                        source=f"turned down by more than {figure('gate-eaten-at').value:.0f} dB; let pass: {let.value:.0f} ms",
                    )
                )
    return WordUnderGate(number, eaten, tuple(lines))


@dataclass(frozen=True)
class Saving:
    """A change of the gate that keeps a word whole.

    Attributes:
        label: as a button says it.
        text: what it changes, and what it costs.
    """

    id: str
    gate: Gate
    label: str
    text: str


LONGER_MS = (20, 40, 60, 90, 120, 160, 200, 300, 400)
FASTER_MS = (20.0, 12.0, 8.0, 5.0, 3.0, 2.0, 1.0, 0.5)


def savings(trial: Trial, gate: Gate, number: int, room_loudest_db: float) -> tuple[Saving, ...]:
    """What would save a word, one thing at a time: a faster attack, a longer hold, a lower threshold; each the least.

    Args:
        room_loudest_db: the highest that the detector reads of the room, in dBFS.
    """
    out = []
    faster = _first(
        trial, number, [gate.model_copy(update={"attack_ms": ms}) for ms in FASTER_MS if ms < gate.attack_ms]
    )
    if faster is not None:
        text = f"An attack of {faster.attack_ms:g} ms instead of {gate.attack_ms:g} saves it."
        out.append(Saving("faster", faster, f"Attack {faster.attack_ms:g} ms", text))
    longer = _first(
        trial,
        number,
        [
            gate.model_copy(update={"hold_ms": gate.hold_ms + ms})
            for ms in LONGER_MS
            if gate.hold_ms + ms <= LONGEST_HOLD_MS
        ],
    )
    if longer is not None:
        more = longer.hold_ms - gate.hold_ms
        text = f"{more:.0f} ms more hold save it; the room is let in as much longer after every word."
        out.append(Saving("longer", longer, f"Hold {longer.hold_ms:g} ms", text))
    lower = _first(
        trial,
        number,
        [shifted(gate, -float(step)) for step in np.arange(SAVE_STEP_DB, SAVE_MOST_DB, SAVE_STEP_DB)],
    )
    if lower is not None:
        over = lower.open_db - room_loudest_db
        down = show_number(gate.open_db - lower.open_db, "dB")
        cost = (
            f"{show_number(over, 'dB')} are left to the room's loudest."
            if over >= 0
            else f"that is {show_number(-over, 'dB')} under the room's loudest: it would open for the room."
        )
        out.append(
            Saving(
                "lower",
                lower,
                f"Open at {show_number(lower.open_db, 'dBFS')}",
                f"{down} lower saves it; {cost}",
            )
        )
    return tuple(out)


def _first(trial: Trial, number: int, gates: list[Gate]) -> Gate | None:
    """The first of some gates under which a word is whole."""
    for gate in gates:
        if all(row.number != number for row in trial.judge(gate).eaten):
            return gate
    return None
