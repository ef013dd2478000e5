"""Rules about what has to hold before a show goes on air: the network carries it, every end gets something, the recording is long
enough.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import goes_astray
from kymaphon.core.levels.down import is_silenced
from kymaphon.core.mixes.stream import StreamBudget, stream_budget
from kymaphon.core.mixes.tracks import duration, track_plan
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.wants import wants_of
from kymaphon.core.rules.record import rule


@rule("upload-short", "download-short", "network-not-measured", stage="Feeds", reads=("layout", "programme"))
def network(analysis: Computed) -> Iterator[Finding]:
    """What is sent against the upload that was measured, and what comes in against the download (common practice: half as much again)."""
    if analysis.show.streaming is None:
        return
    budget = stream_budget(analysis.show, analysis.catalogue)
    for name, have, need in (
        ("Upload", budget.up, budget.needed_up),
        ("Download", budget.down, budget.needed_down),
    ):
        if have is None or have.value >= need.value:
            continue
        text = next(row for row in budget.problems if row.startswith(name))
        yield Finding(
            f"{name.lower()}-short",
            "stop",
            "Feeds",
            (),
            f"{name} is short: {have.value:.1f} of {need.value:.1f} Mbit/s",
            text,
            (have, need),
            need,
            tuple(_smaller(budget)) if name == "Upload" else (),
        )
    if (budget.up is None or budget.down is None) and budget.sends.value:
        text = next((row for row in budget.problems if "not measured" in row), "")
        if text:
            yield Finding(
                "network-not-measured",
                "note",
                "Feeds",
                (),
                "The network was not measured",
                text,
                (budget.needed_up, budget.needed_down),
                budget.needed_up,
            )


def _smaller(budget: StreamBudget) -> Iterator[Remedy]:
    """Pictures that fit the measured upload; sound alone where none do."""
    given = budget.streaming
    if budget.up is None or not given.video_kbps:
        return
    spare = number("upload-spare") * (1 + number("packet-overhead") / 100)
    fixed = budget.sends.value / (1 + number("packet-overhead") / 100) - (given.streams or 1) * given.video_kbps
    room = (budget.up.value * 1000 / spare - fixed) / (given.streams or 1)
    video = max(0.0, float(int(room / 100) * 100))
    if video >= 300 and budget.up.value >= number("upload-least"):
        smaller = given.with_(video_kbps=video)
        yield Remedy(
            "smaller",
            f"Send pictures of {video:.0f} kbit/s instead of {given.video_kbps:.0f}",
            "The measured upload then has half as much again to spare.",
            (SetField("", None, "streaming", smaller),),
        )
    sound = given.with_(video_kbps=0.0)
    yield Remedy(
        "sound-alone",
        "Send sound alone",
        "Sound needs little; pictures wait for another network.",
        (SetField("", None, "streaming", sound),),
    )


@rule("end-silent", "not-on-air", stage="Feeds", reads=("feeds",))
def silent_ends(analysis: Computed) -> Iterator[Finding]:
    """A stream or recorder that gets nothing at all, and a voice that belongs on air by its role and reaches no end."""
    voices = [row for row in analysis.voices if row.kind not in ("crew", *NO_SPEECH)]
    ends = [row for row in analysis.listeners if row.kind in ("audience", "recorder")]
    if not voices or not ends:
        return
    wants = wants_of(analysis.show)
    asked = {key for key, row in wants.items() if row.want == "hear"}
    heard = {key for key, feed in analysis.feeds.items() if feed.path is not None and not goes_astray(feed.path)}
    empty = []
    for end in ends:
        keys = [(end.id, voice.id) for voice in analysis.voices]
        wanted = [key for key in keys if key in asked]
        if any(key in heard for key in keys) or not wanted or any(is_silenced(analysis, *key) for key in wanted):
            continue
        empty.append(end)
        text = f"{end.name} gets nothing: no voice comes there. Plug the programme in, or let the feed plan do it."
        yield Finding(
            "end-silent",
            "stop",
            "Feeds",
            (end.id,),
            f"{end.name} gets nothing",
            text,
            (),
            None,
            (),
            tuple(wanted),
        )
    for voice in voices:
        keys = [(end.id, voice.id) for end in ends if end not in empty and (end.id, voice.id) in asked]
        said = any(wants[key].asked for key in keys)
        if not keys or said or any(key in heard for key in keys) or any(is_silenced(analysis, *key) for key in keys):
            continue
        where = ", ".join(analysis.party_name(end) for end, _ in keys)
        text = f"{voice.name} speaks and reaches neither stream nor recording: {where} should have them by their role, and nothing leads there."
        yield Finding(
            "not-on-air",
            "stop",
            "Feeds",
            (voice.id,),
            f"{voice.name} is not on air",
            text,
            (),
            None,
            (),
            tuple(keys),
        )


@rule("recording-short", stage="Feeds", reads=("levels", "programme"))
def recording_too_short(analysis: Computed) -> Iterator[Finding]:
    """A recording that ends before the show does: by the disk, or by what one file can hold."""
    if analysis.show.recording is None:
        return
    plan = track_plan(analysis, datetime(2000, 1, 1, tzinfo=UTC))
    rows = [
        (row, words)
        for row, words in ((plan.left_s, "the disk is full"), (plan.limit_s, "the file is full"))
        if row is not None
    ]
    short = [(row, words) for row, words in rows if row.value < plan.length_s.value]
    if not short or plan.recorder is None:
        return
    row, words = min(short, key=lambda item: item[0].value)
    text = f"After {duration(row.value)} {words}, and {duration(plan.length_s.value)} are to be recorded."
    remedies: tuple[Remedy, ...] = ()
    if words == "the file is full":
        text += " RF64 goes on beyond it."
        bigger = plan.recording.with_(files="rf64")
        remedies = (
            Remedy(
                "rf64",
                "Record to RF64",
                "One file holds the whole show.",
                (SetField("", None, "recording", bigger),),
            ),
        )
    else:
        text += " Free the disk, or take another."
    left = Derived("room for", row.value, "s")
    yield Finding(
        "recording-short",
        "stop",
        "Feeds",
        (plan.recorder,),
        f"The recording ends after {duration(row.value)}",
        text,
        (left, plan.length_s),
        row,
        remedies,
    )
