"""What a listener hears, in one sentence."""

from __future__ import annotations

from collections.abc import Iterable

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.graph.routing import Delivery


def listener_sentence(analysis: Computed, listener: str) -> str:
    """Everything a listener hears and misses, worst first: `Ferry hears Mira and Tam; itself 164 ms late; nothing of the crowd.`"""
    rows = [feed for (name, _), feed in analysis.feeds.items() if name == listener]
    by = {verdict: [row for row in rows if row.verdict == verdict] for verdict in {row.verdict for row in rows}}
    name = analysis.party_name(listener)
    parts: list[str] = []
    for row in by.get("back", ()):
        parts.append(f"itself {show_number(row.delay_ms or 0.0, 'ms')} late")
    heard = [*by.get("heard", ()), *by.get("quiet", ()), *by.get("loud", ())]
    heard.sort(key=lambda row: rows.index(row))
    if heard:
        parts.append(_names(analysis, heard))
    for word, text in (
        ("twice", "twice"),
        ("late", "too late to talk with"),
        ("unwanted", "though it must not"),
    ):
        if word in by:
            parts.append(f"{_names(analysis, by[word])} {text}")
    also = [row for row in by.get("free", ()) if row.gain_db is not None]
    if also:
        parts.append(f"{_names(analysis, also)} too, though nobody asked")
    if "local" in by:
        parts.append("itself direct")
    out = f"{name} hears {'; '.join(parts)}" if parts else f"{name} hears nothing"
    if "missing" in by:
        names = _names(analysis, by["missing"])
        out += f"; but not {names}" if parts else f", and should hear {names}"
    off = [
        f"{_name(analysis, row)} {show_number(abs((row.gain_db or 0.0) - row.wanted_gain_db), 'dB')} too {row.verdict}"
        for row in (*by.get("quiet", ()), *by.get("loud", ()))
    ]
    if off:
        out += f" ({', '.join(off)})"
    return out + "."


def _name(analysis: Computed, row: Delivery) -> str:
    return "itself" if row.voice == row.listener else analysis.party_name(row.voice)


def _names(analysis: Computed, rows: Iterable[Delivery]) -> str:
    names = [_name(analysis, row) for row in rows]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
