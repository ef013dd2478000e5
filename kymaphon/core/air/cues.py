"""Notes of a show as points in its recording: as labels, subtitles, chapters, a list of cuts; each as plain text of an open format.

Times are from the start of the recording: notes know the clock, and so does the recording. A note made before it began, or after its
end, is told apart rather than put at its edge.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from kymaphon.core.air.run import NOTE_WORDS, run_of
from kymaphon.core.model.show import Show
from kymaphon.core.rundown.limits import limit

DOES = {
    "retake": "cut",
    "noise": "check",
    "clip": "check",
    "good": "keep",
    "fader": "check",
    "text": "read",
    "segment": "segment",
}


@dataclass(frozen=True, slots=True)
class Cue:
    """A point in the recording.

    Attributes:
        at_s: seconds from its start; `until_s` where it is over, where somebody said.
        kind: as `AirNote.kind`, or "segment" where a segment begins.
        text: what was noted.
        clock: when that was.
    """

    at_s: float
    kind: str
    text: str
    segment: str
    clock: datetime
    until_s: float | None = None


def recording_begins(show: Show) -> datetime | None:
    """When the recording is taken to begin where nobody says: as the show did."""
    return run_of(show.log).started or show.air_at


def cues_of(show: Show, begins: datetime, *, segments: bool = True) -> tuple[Cue, ...]:
    """Every note, and where each segment began, in order. Those before the recording have times below nothing.

    Args:
        begins: when the recording begins.
        segments: whether segments are cues too.
    """
    names = {row.id: row.name for row in show.rundown}
    out = []
    for entry in show.log:
        at = (entry.at - begins).total_seconds()
        if entry.note is not None:
            name = names.get(entry.note.segment or "", entry.note.segment or "")
            until = None
            if entry.note.until_s is not None and entry.note.show_s is not None:
                until = at + entry.note.until_s - entry.note.show_s
            out.append(Cue(at, entry.note.kind, entry.text, name, entry.at, until))
        elif segments and entry.air is not None and entry.air.action in ("start", "go", "back") and entry.air.segment:
            name = names.get(entry.air.segment, entry.air.segment)
            out.append(Cue(at, "segment", name, name, entry.at))
    return tuple(sorted(out, key=lambda row: row.at_s))


def inside(cues: Iterable[Cue], length_s: float | None = None) -> tuple[Cue, ...]:
    """Those that lie in the recording."""
    return tuple(row for row in cues if row.at_s >= 0 and (length_s is None or row.at_s <= length_s))


def timecode(seconds: float, mark: str = ".") -> str:
    """Hours, minutes, seconds and thousandths: 01:02:03.500.

    >>> timecode(3723.5), timecode(59.9996)
    ('01:02:03.500', '00:01:00.000')
    """
    thousandths = round(max(seconds, 0.0) * 1000)
    hours, rest = divmod(thousandths, 3_600_000)
    minutes, rest = divmod(rest, 60_000)
    return f"{hours:02d}:{minutes:02d}:{rest // 1000:02d}{mark}{rest % 1000:03d}"


def _plain(text: str) -> str:
    """One line without what a format takes for its own: tabs, line breaks, arrows of WebVTT."""
    return " ".join(text.split()).replace("-->", "\u2192")


def label_track(cues: Sequence[Cue]) -> str:
    """Labels, one on each line: start, end, text, between tabs, in seconds (read by audio editors)."""
    rows = []
    for row in inside(cues):
        until = row.until_s if row.until_s is not None else row.at_s
        rows.append(f"{row.at_s:.6f}\t{until:.6f}\t{_plain(cue_words(row))}")
    return "\n".join(rows) + ("\n" if rows else "")


def webvtt(cues: Sequence[Cue]) -> str:
    """WebVTT (W3C): a cue for each note, four seconds or until what is meant is over."""
    rows = ["WEBVTT", ""]
    for n, row in enumerate(inside(cues), start=1):
        until = row.until_s if row.until_s is not None and row.until_s > row.at_s else row.at_s + limit("cue_s")
        text = _plain(cue_words(row)).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        rows += [f"{n}", f"{timecode(row.at_s)} --> {timecode(until)}", text, ""]
    return "\n".join(rows)


def chapters(cues: Sequence[Cue], title: str) -> str:
    """Chapters of a podcast as JSON (Podcasting 2.0 namespace, JSON Chapters 1.2.0): one for each segment; the first begins at nought."""
    rows = [row for row in inside(cues) if row.kind == "segment"]
    out: list[dict[str, object]] = []
    for row in rows:
        start = 0.0 if not out else round(row.at_s, 3)
        if out and out[-1]["startTime"] == start:
            out.pop()  # gone past at once
        out.append({"startTime": start, "title": _plain(row.text)})
    return json.dumps({"version": "1.2.0", "title": title, "chapters": out}, ensure_ascii=False, indent=1) + "\n"


def edit_list(cues: Sequence[Cue]) -> str:
    """What to do in the edit, a line each: number, from, to, what to do, where, what was noted. Of a retake the spoilt line lies in the
    seconds before it.
    """
    rows = []
    for n, row in enumerate((row for row in inside(cues) if row.kind != "segment"), start=1):
        start = (
            max(0.0, row.at_s - limit("look_back_s")) if row.kind in ("retake", "noise", "clip", "fader") else row.at_s
        )
        until = row.until_s if row.until_s is not None else row.at_s
        does = DOES[row.kind]
        rows.append(
            f"{n:03d}  {timecode(start)}  {timecode(until)}  {does:<6}  {row.segment or '-'}  {_plain(row.text)}"
        )
    return "\n".join(rows) + ("\n" if rows else "")


CUE_COLUMNS = ("time", "at_s", "clock", "kind", "segment", "text")


def cue_rows(cues: Sequence[Cue]) -> tuple[tuple[str, ...], ...]:
    """The notes as rows under `CUE_COLUMNS`, those outside the recording too."""
    return tuple(
        (
            timecode(row.at_s) if row.at_s >= 0 else f"\u2212{timecode(-row.at_s)}",
            f"{row.at_s:.3f}",
            row.clock.isoformat(),
            row.kind,
            row.segment,
            row.text,
        )
        for row in cues
    )


def cue_words(row: Cue) -> str:
    """What a cue is called: its sort and what was noted."""
    if row.kind == "segment":
        return row.text
    word = NOTE_WORDS.get(row.kind, row.kind)  # type: ignore[call-overload]
    return row.text if row.text.startswith(word) or row.kind == "text" else f"{word}: {row.text}"


FORMATS = {
    "labels": (".txt", "Labels: start, end, text between tabs"),
    "vtt": (".vtt", "Subtitles (WebVTT)"),
    "chapters": (".json", "Chapters of a podcast (JSON)"),
    "cuts": (".edl.txt", "List of cuts"),
    "csv": (".csv", "List"),
}


def export(cues: Sequence[Cue], form: str, title: str) -> str:
    """The text of a format, but for the list, which `files` writes.

    Raises:
        KeyError: no such format.
    """
    if form == "chapters":
        return chapters(cues, title)
    return {"labels": label_track, "vtt": webvtt, "cuts": edit_list}[form](cues)
