"""Finding in the rig: devices, kinds, sockets and knobs by words, whole words first."""

from __future__ import annotations

import re
from dataclasses import dataclass

from kymaphon.core.analysis.report import Report
from kymaphon.core.report.chain import Chain, ChainBox
from kymaphon.core.wiring.controls import Touch, touches


@dataclass(frozen=True, slots=True)
class Hit:
    """A box of the rig that was found, by its own name or by a knob's."""

    box: ChainBox
    knob: Touch | None
    rank: int


def found_in_rig(analysis: Report, chain: Chain, words: tuple[str, ...]) -> list[Hit]:
    """Boxes whose name, kind, sockets or knobs hold all of some words, in small letters: whole words before the beginnings of words and
    those before the middles; a name before a socket and a knob.
    """
    knobs: dict[str, list[Touch]] = {}
    for touch in touches(analysis):
        knobs.setdefault(touch.ref.device, []).append(touch)
    hits = []
    for box in chain.boxes:
        rows: list[tuple[str, Touch | None]] = [(box.name, None), (box.note, None)]
        rows += [(analysis.device_name(name), None) for name in box.members]
        sockets = [f"{box.name} {port.name}" for port in (*box.inputs, *box.outputs)]
        knob_rows = [touch for name in box.members for touch in knobs.get(name, ())]
        rows += [*((name, None) for name in sockets), *((touch.label, touch) for touch in knob_rows)]
        # In all of what it is called together, as before: a name and a kind.
        rows.append((" ".join([box.name, box.note, *sockets]), None))
        best = min(
            ((rank, n) for n, (text, _) in enumerate(rows) if (rank := _rank(words, text.lower())) is not None),
            default=None,
        )
        if best is not None:
            hits.append(Hit(box, rows[best[1]][1], best[0]))
    return sorted(hits, key=lambda row: (row.rank, row.knob is not None))


def _rank(words: tuple[str, ...], text: str) -> int | None:
    """How well a text holds words: 0 as whole words, 1 as beginnings, 2 within words; None where one is not there."""
    if not all(word in text for word in words):
        return None
    parts = re.findall(r"[\w']+", text)
    if all(word in parts for word in words):
        return 0
    return 1 if all(any(part.startswith(word) for part in parts) for word in words) else 2
