"""An incident looked at again: what was on, set, open and heard at that moment, from the log alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from pydantic import ValidationError

from kymaphon.core.air.run import RunState, run_of
from kymaphon.core.book.entries import setting_of
from kymaphon.core.computing.compute import computed
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.clock import span_words
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.references import settings_problems
from kymaphon.core.model.show import LogEntry, Setting, Show
from kymaphon.core.rundown.limits import limit
from kymaphon.core.rundown.states import state_of


@dataclass(frozen=True)
class Review:
    """A moment of a show.

    Attributes:
        state: what was on, who was open, by the log up to it.
        show_s: seconds since it began; None before.
        sets: reference -> how it stood, as last logged; `since` when that was.
        differs: settings that stand otherwise in the show today, as (reference, then, now).
        heard: (listener, whom they heard), the rig with those settings and that state; empty off air.
        missing: what the log cannot tell of that moment, in sentences.
        around: rows of the log near it, in order.
        lined_up: the last line-up of each voice before it.
    """

    at: datetime
    state: RunState
    show_s: float | None
    sets: dict[str, tuple[float | bool | str | None, datetime]]
    differs: tuple[tuple[str, object, object], ...]
    heard: tuple[tuple[str, tuple[str, ...]], ...]
    missing: tuple[str, ...]
    around: tuple[LogEntry, ...]
    lined_up: dict[str, LogEntry]


def review(analysis: Computed, at: datetime, log: Sequence[LogEntry] | None = None) -> Review:
    """What was so at a moment.

    Args:
        analysis: the show as it is now: its rig is taken to be that of the moment, but for what the log has of its settings.
        log: left out: that of the show.
    """
    rows = sorted(analysis.show.log if log is None else log, key=lambda row: row.at)
    before = [row for row in rows if row.at <= at]
    state = run_of(before)
    sets: dict[str, tuple[float | bool | str | None, datetime]] = {}
    lined_up: dict[str, LogEntry] = {}
    for row in before:
        for point in row.sets:
            sets[point.ref] = point.value, row.at
        if row.line_up is not None:
            lined_up[row.line_up.voice] = row
    missing = []
    if not sets:
        missing.append("The log has no settings before that moment: what was set is not known.")
    on = state.open | state.playing
    there = {row.id for row in analysis.show.parties}
    gone = sorted(on - there)
    if gone:
        missing.append(f"{', '.join(gone)} {'is' if len(gone) == 1 else 'are'} not in the show any more.")
    if not state.on_air:
        missing.append("The show was not on air then.")
    differs = tuple(_differing(analysis, sets))
    then, unfit = _as_it_stood(analysis, differs)
    if unfit:
        missing.append(f"Not of today's rig, and left out of who heard whom: {', '.join(unfit[:6])}.")
    return Review(
        at,
        state,
        state.show_s(at),
        sets,
        differs,
        _heard(analysis, then, on & there) if state.on_air else (),
        tuple(missing),
        tuple(row for row in rows if abs(row.at - at) <= timedelta(seconds=limit("around_s"))),
        lined_up,
    )


def _differing(
    analysis: Computed, sets: dict[str, tuple[float | bool | str | None, datetime]]
) -> list[tuple[str, object, object]]:
    out: list[tuple[str, object, object]] = []
    for name, (value, _) in sets.items():
        ref = setting_of(name)
        device = analysis.show.find_device(ref.device) if ref is not None else None
        if ref is None or device is None:
            continue
        if ref.field not in Setting.model_fields or ref.field == "chain":
            continue
        setting = device.settings.get(ref.key)
        now = getattr(setting, ref.field, None) if setting is not None else None
        if now != value:
            out.append((name, value, now))
    return out


def _as_it_stood(analysis: Computed, differs: tuple[tuple[str, object, object], ...]) -> tuple[Show, list[str]]:
    """The show with the settings of the log, and those of them that today's rig does not have or take."""
    show, unfit = analysis.show, []
    for name, value, _ in differs:
        ref = setting_of(name)
        assert ref is not None  # only such differ
        try:
            after = SetValue(ref, value).apply(show)  # type: ignore[arg-type]
        except (KeyError, ValidationError):
            unfit.append(name)
            continue
        device = after.device(ref.device)
        changed = {ref.key: device.settings[ref.key]}
        if any(settings_problems("", changed, analysis.catalogue[device.kind])):
            unfit.append(name)
        else:
            show = after
    return show, unfit


def _heard(analysis: Computed, show: Show, on: frozenset[str]) -> tuple[tuple[str, tuple[str, ...]], ...]:
    figures = analysis
    if show is not analysis.show:
        figures = computed(show, analysis.catalogue, analysis.bare(), remedies=False)
    state = state_of(figures, on)
    return tuple((row.id, state.hears(row.id)) for row in state.figures.listeners)


def moment_words(review_: Review) -> str:
    """The moment in the show: 12:40 into the show, in Interview."""
    if review_.show_s is None:
        return "before the show"
    if review_.state.ended is not None:
        return "after the show"
    return f"{span_words(review_.show_s)} into the show"
