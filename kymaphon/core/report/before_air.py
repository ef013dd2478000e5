"""The short list before going live: what no plan shows and every operator does, from what is in this show."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.analysis.report import Report
from kymaphon.core.mixes.stream import delays


def before_air(analysis: Report) -> tuple[str, ...]:
    """What to do before going live, in order: restarts, the private test, how late the chat is, what is on the list (common
    practice). Empty for a show that goes nowhere and has nothing on its list.
    """
    return tuple(_rows(analysis))


def _rows(analysis: Report) -> Iterator[str]:
    for finding in analysis.findings:
        if finding.code == "restart-needed":
            yield finding.message
    encoders = [row for row in analysis.show.devices if analysis.catalogue[row.kind].is_encoder]
    if encoders:
        name = analysis.device_name(encoders[0].id)
        yield (
            f"Private test: {name} to a private stream, listened to on a phone by the mobile network, long enough for picture and sound to "
            "stay together; both sides there, no echo, then the same settings go live."
        )
    for row in delays(analysis):
        who = analysis.party_name(row.listener)
        yield (
            f"{who} hears it {row.heard.value / 1000:.1f} s late, and the chat answers {row.chat[0].value:.0f} to {row.chat[1].value:.0f} s late: "
            "ask early, and mute the stream where somebody watches it in the room."
        )
    for task in analysis.show.tasks:
        if not task.done:
            yield task.text
