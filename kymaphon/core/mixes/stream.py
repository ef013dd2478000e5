"""The stream's budget: what has to go up and come down, against what was measured, and how late the world answers."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import figure, number
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.delivery import Streaming
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import Show


@dataclass(frozen=True)
class StreamBudget:
    """What the network has to carry.

    Attributes:
        sends, needed_up, needed_down: what goes out; that with something to spare, at least what is usual; the same coming in.
        up, down: as measured; None where nobody has.
        problems: what is wrong, in sentences.
    """

    streaming: Streaming
    sends: Derived
    needed_up: Derived
    needed_down: Derived
    up: Derived | None
    down: Derived | None
    problems: tuple[str, ...]

    @property
    def enough(self) -> bool | None:
        """Whether the measured network carries it; None where it was not measured."""
        if self.up is None or self.down is None:
            return None
        return self.up.value >= self.needed_up.value and self.down.value >= self.needed_down.value


@dataclass(frozen=True)
class Delays:
    """How late an audience is.

    Attributes:
        listener: the audience.
        heard: from a mouth to its ears.
        chat: from a word to the answer in the chat, soonest and latest: the way out, reading and typing left aside.
    """

    listener: str
    heard: Derived
    chat: tuple[Derived, Derived]

    def words(self) -> str:
        """What it means at the desk."""
        return (
            f"What is said now is heard there {self.heard.value / 1000:.1f} s later. Questions in the chat are about what was said "
            f"{self.chat[0].value:.0f} to {self.chat[1].value:.0f} s ago, or more. Checking by listening "
            "to the stream itself tells of a fault that late: "
            "it proves the far end, and is no monitor; mute it at the desk, or it comes back as an echo."
        )


def encoders(show: Show, catalogue: Catalogue) -> int:
    """How many streams are sent out."""
    return sum(catalogue[device.kind].is_encoder for device in show.devices)


def calls(show: Show, catalogue: Catalogue) -> int:
    """Remote guests who come by the network: one call each."""
    return sum(catalogue[device.kind].is_call for device in show.devices)


def stream_budget(show: Show, catalogue: Catalogue, streaming: Streaming | None = None) -> StreamBudget:
    """What the network has to carry for a show.

    Args:
        streaming: rates and measurements; None takes the show's own.
    """
    given = streaming or show.streaming or Streaming()
    count = given.streams if given.streams is not None else encoders(show, catalogue)
    each = given.video_kbps + given.audio_kbps
    lines = [
        Derived(
            f"{count} {'stream' if count == 1 else 'streams'} of {each:.0f} kbit/s",
            count * each,
            "kbit/s",
            source="show: streaming",
        )
    ]
    call = figure("call-rate")
    talking = calls(show, catalogue)
    if talking:
        words = "call" if talking == 1 else "calls"
        lines.append(
            Derived(
                f"{talking} {words} of {call.value:.0f} kbit/s",
                talking * call.value,
                "kbit/s",
                source=call.source,
            )
        )
    if given.other_up_kbps:
        lines.append(Derived("whatever else sends", given.other_up_kbps, "kbit/s", source="show: streaming"))
    packets = figure("packet-overhead")
    bare = sum(line.value for line in lines)
    lines.append(
        Derived(
            packets.name,
            bare * packets.value / 100,
            "kbit/s",
            f"{packets.value:.0f} % of {bare:.0f}",
            source=packets.source,
        )
    )
    sends = total("sent out", "kbit/s", tuple(lines))
    up = _needed("upload needed", sends, figure("upload-least") if given.video_kbps else None)
    comes = total(
        "comes in",
        "kbit/s",
        (Derived(f"{talking} calls", talking * call.value, "kbit/s", source=call.source),),
    )
    down = _needed("download needed", comes, figure("download-least") if given.video_kbps else None)
    measured_up = (
        None
        if given.up_mbps is None
        else Derived("upload, measured", given.up_mbps, "Mbit/s", source="show: streaming")
    )
    measured_down = (
        None
        if given.down_mbps is None
        else Derived("download, measured", given.down_mbps, "Mbit/s", source="show: streaming")
    )
    problems = []
    for name, have, need in (("Upload", measured_up, up), ("Download", measured_down, down)):
        if have is not None and have.value < need.value:
            problems.append(
                f"{name} is {have.value:.1f} Mbit/s and {need.value:.1f} are needed: {_cure(name, have, need, given, count)}"
            )
    if count and (measured_up is None or measured_down is None):
        problems.append(
            f"The network was not measured. Measure where and when you stream: {up.value:.1f} Mbit/s up and {down.value:.1f} down are needed."
        )
    return StreamBudget(given, sends, up, down, measured_up, measured_down, tuple(problems))


def _needed(name: str, rate: Derived, least: Derived | None) -> Derived:
    spare = figure("upload-spare")
    value = rate.value * spare.value / 1000
    formula = f"{rate.value:.0f} kbit/s \u00d7 {spare.value:g} / 1000"
    if least is not None and least.value > value:
        return Derived(
            name, least.value, "Mbit/s", f"at least {least.value:g}; {formula} is less", (rate,), least.source
        )
    return Derived(name, value, "Mbit/s", formula, (rate,), spare.source)


def _cure(name: str, have: Derived, need: Derived, given: Streaming, count: int) -> str:
    """What would help: pictures that fit, or sound alone."""
    if name == "Download":
        return "take the calls by telephone, or by another network."
    fixed = (
        need.terms[0].value - count * given.video_kbps * (1 + number("packet-overhead") / 100) if need.terms else 0.0
    )
    room = have.value * 1000 / number("upload-spare") - fixed
    video = room / (count * (1 + number("packet-overhead") / 100)) if count else 0.0
    if given.video_kbps and video >= 300 and have.value >= number("upload-least"):
        return f"pictures of {video:.0f} kbit/s instead of {given.video_kbps:.0f} would fit, or a second network for the calls."
    return "send sound alone, or find another network."


def delays(analysis: Computed) -> tuple[Delays, ...]:
    """For every audience of a stream how late it is, by the voice that comes there soonest. A house in the room, and who listens
    behind a line to a transmitter, has no chat.
    """
    out = []
    groups = {row.id: analysis.catalogue[row.kind].group for row in analysis.show.devices}
    for party in analysis.listeners:
        device = party.hears_device
        if party.kind != "audience" or groups.get(device, "line") == "line":
            continue
        rows = [
            feed
            for (listener, _), feed in analysis.feeds.items()
            if listener == party.id and feed.path is not None and feed.delay_ms is not None
        ]
        if not rows:
            continue
        feed = min(rows, key=lambda row: row.delay_ms or 0.0)
        assert feed.path is not None
        heard = total(
            f"from {analysis.party_name(feed.voice)} to {party.name}",
            "ms",
            feed.path.delay_parts(),
            source="delays add along the way",
        )
        late = heard.value / 1000
        soonest, latest = (max(late, number(name)) for name in ("chat-soonest", "chat-latest"))
        source = figure("chat-soonest").source
        chat = (
            Derived("chat, soonest", soonest, "s", source=source),
            Derived("chat, latest", latest, "s", source=source),
        )
        out.append(Delays(party.id, heard, chat))
    return tuple(out)


def set_streaming(streaming: Streaming) -> SetField:
    """The edit that puts rates and measurements into a show."""
    return SetField("", None, "streaming", streaming)
