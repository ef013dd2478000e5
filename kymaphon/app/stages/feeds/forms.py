"""Forms of Feeds: how the show is recorded, and what the network has to carry."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.widgets.form import Field, Form
from kymaphon.core.graph.routing import Delivery
from kymaphon.core.mixes.stream import set_streaming
from kymaphon.core.model.delivery import Recording, Streaming
from kymaphon.core.model.edits import SetField, SetWant
from kymaphon.files.disk import free_bytes

WAYS = (("mix", "a mix of all"), ("split", "host left, others right"), ("each", "one track a person"))
GIGA = 1e9


def edit_level(window: QWidget, document: Document, feed: Delivery) -> None:
    """How loud a voice is wanted at a listener."""
    names = " and ".join(document.analysis.party_name(row) for row in feed.key)
    fields = (Field("gain_db", "Against the mark, dB", "number", feed.wanted_gain_db),)

    def take(values: dict[str, Any]) -> None:
        if values["gain_db"] is None:
            raise ValueError("0 is on the mark; give how many dB above or under it")
        document.apply((SetWant(feed.listener, feed.voice, feed.want, values["gain_db"]),), f"{names}: wanted level")

    Form(f"{names}: wanted level", fields, take, window).exec()


def edit_recording(window: QWidget, document: Document) -> None:
    """How the show is recorded."""
    now = document.show.recording or Recording()
    fields = (
        Field("way", "Tracks", "choice", now.way, WAYS, tip="What each track gets"),
        Field("safety", "A safety copy of each voice, recorded lower", "check", now.safety),
        Field("bits", "Bits", "choice", now.bits, ((16, "16"), (24, "24"), (32, "32"))),
        Field("rate_hz", "Sample rate, Hz", "number", now.rate_hz, empty="the show's"),
        Field("files", "Files", "choice", now.files, (("wav", "WAV, up to 4 GiB"), ("rf64", "RF64, no limit"))),
        Field("together", "All tracks in one file", "check", now.together),
        Field(
            "length_min",
            "Planned length, min",
            "number",
            None if now.length_s is None else round(now.length_s / 60, 2),
            empty="the rundown's",
        ),
        Field(
            "free_gb",
            "Free on the disk, GB",
            "number",
            None if now.free_bytes is None else round(now.free_bytes / GIGA, 2),
            empty="not known",
        ),
    )

    def take(values: dict[str, Any]) -> None:
        rate = values["rate_hz"]
        if rate is not None and rate != round(rate):
            raise ValueError("a sample rate is a whole number of Hz")
        length, free = values["length_min"], values["free_gb"]
        row = Recording(
            way=values["way"],
            safety=values["safety"],
            bits=values["bits"],
            rate_hz=None if rate is None else round(rate),
            files=values["files"],
            together=values["together"],
            length_s=None if length is None else length * 60,
            free_bytes=None if free is None else round(free * GIGA),
        )
        document.apply((SetField("", None, "recording", row),), "Recording")

    note = "Tell everyone before you record. Date and time stand in the file names."
    Form("Recording", fields, take, window, note=note).exec()


def read_free_space(document: Document) -> int:
    """Puts the free space of the show's disk into it; bytes. Raises FileProblem when it cannot be told."""
    folder = document.path.parent if document.path is not None else Path.home()
    free = free_bytes(folder)
    row = (document.show.recording or Recording()).with_(free_bytes=free)
    document.apply((SetField("", None, "recording", row),), "Free space of the disk")
    return free


def edit_streaming(window: QWidget, document: Document) -> None:
    """What is sent, and what the network was measured to carry."""
    now = document.show.streaming or Streaming()
    fields = (
        Field("video_kbps", "Pictures of each stream, kbit/s", "number", now.video_kbps, tip="0 for sound only"),
        Field("audio_kbps", "Sound of each stream, kbit/s", "number", now.audio_kbps),
        Field("streams", "Streams", "number", now.streams, empty="one for each encoder"),
        Field("other_up_kbps", "Whatever else sends, kbit/s", "number", now.other_up_kbps),
        Field("up_mbps", "Upload, measured, Mbit/s", "number", now.up_mbps, empty="not measured"),
        Field("down_mbps", "Download, measured, Mbit/s", "number", now.down_mbps, empty="not measured"),
    )

    def take(values: dict[str, Any]) -> None:
        streams = values["streams"]
        if streams is not None and streams != round(streams):
            raise ValueError("streams are counted in whole numbers")
        row = Streaming(**{**values, "streams": None if streams is None else round(streams)})
        document.apply((set_streaming(row),), "Stream and network")

    note = "Measure the network where and when you will stream, with everything on that will be on."
    Form("Stream and network", fields, take, window, note=note).exec()
