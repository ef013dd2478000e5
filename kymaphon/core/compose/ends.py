"""Those far away, and those who hear it all: the boxes and programs on both ends of a mix."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.compose.rig import Rig
from kymaphon.core.compose.settle import Settled, settings
from kymaphon.core.figures import number
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.delivery import Streaming
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Place, Want
from kymaphon.core.model.wants import BACKGROUND


@dataclass(frozen=True)
class FarEnd:
    """Somebody far away at this end: where their voice comes out, and where their mix goes in."""

    voice: VoiceAnswer
    party: str
    out: str
    into: str
    handset: bool


@dataclass(frozen=True)
class Single:
    """An output that carries one voice alone.

    Attributes:
        under_db: against the mark, where nothing on the way turns it up.
    """

    party: str
    name: str
    end: str
    under_db: float = 0.0


def far_end(rig: Rig, settled: Settled, row: VoiceAnswer, *, place: str | None, host: str | None) -> FarEnd:
    """Somebody far away, with what joins them: a call in the computer where there is one, else a codec on a desk."""
    data = settings()["rooms"]
    there = fresh_id(rig.show, f"at-{row.id}")
    rig.place(
        Place(id=there, name=f"Where {row.name} is", size_m=tuple(data["size_m"]), ambient_dba=data["ambient_dba"])
    )
    handset = row.by == "telephone" or host is None
    party = rig.party(
        row.id, row.name, "remote", place=there, at_m=(2.5, 2.0), faces_deg=0.0, speaks=True, listens=True
    )
    if host is not None:
        settled.stock.take("conference-app")
        call = rig.device("conference-app", f"call-{row.id}", f"Call to {row.name}", place=place, host=host)
        into, out, far_in, far = "mic", "out", "far-in", "far"
    else:
        settled.stock.take("call-codec")
        call = rig.device("call-codec", f"codec-{row.id}", f"{row.name}\u2019s codec", place=place)
        into, out, far_in, far = "near-in", "near-out", "far-in", "far-out"
    if handset:
        phone = rig.device("phone", f"phone-{row.id}", f"{row.name}\u2019s telephone", place=there, party=party)
        rig.lead(f"{phone}.call-out", f"{call}.{far_in}")
        rig.lead(f"{call}.{far}", f"{phone}.call-in")
        rig.update_party(party, hears_on=phone)
    else:
        laptop = rig.device("laptop", f"laptop-{row.id}", f"{row.name}\u2019s laptop", place=there)
        mic = rig.device(
            "usb-microphone",
            f"mic-{row.id}",
            f"{row.name}\u2019s microphone",
            place=there,
            at=(2.65, 2.0),
            party=party,
            host=laptop,
        )
        ears = rig.device("earphones", f"ears-{row.id}", f"{row.name}\u2019s earphones", place=there)
        rig.lead(f"{mic}.usb", f"{call}.{far_in}")
        rig.lead(f"{call}.{far}", f"{laptop}.sound")
        rig.lead(f"{laptop}.phones", f"{ears}.in", 1.0)
        rig.update_party(party, hears_on=ears)
    return FarEnd(row, party, f"{call}.{out}", f"{call}.{into}", handset)


def headphones(rig: Rig, settled: Settled, parties: dict[str, str]) -> dict[str, list[str]]:
    """A pair for each person in a room; id of the room -> ids of the pairs in it."""
    out: dict[str, list[str]] = {}
    if not settled.on_headphones:
        for row in settled.of("person"):
            rig.update_party(parties[row.id], listens=False)
        return out
    for row in settled.of("person"):
        kind = settled.stock.first_that(rig.catalogue, lambda kind: kind.is_headphones) or "headphones"
        settled.stock.take(kind)
        pair = rig.device(kind, f"phones-{row.id}", f"{row.name}\u2019s headphones", place=row.room)
        rig.update_party(parties[row.id], hears_on=pair)
        out.setdefault(str(row.room), []).append(pair)
    return out


def stream(rig: Rig, settled: Settled, host: str, place: str | None) -> str | None:
    """The encoder and its audience; where the programme goes in, or None where nobody asked for a stream."""
    row = settled.hearer("stream")
    if row is None:
        return None
    settled.stock.take("stream-encoder")
    encoder = rig.device("stream-encoder", "encoder", "Stream encoder", place=place, host=host)
    rig.party("stream", row.name or "Stream", "audience", listens=True, hears_on=encoder)
    rig.show = rig.show.model_copy(update={"streaming": Streaming(audio_kbps=settings()["stream"]["audio_kbps"])})
    return f"{encoder}.in"


def recorder(rig: Rig, settled: Settled, host: str, place: str | None) -> str:
    """A recorder of the mix; where the programme goes in."""
    row = settled.hearer("recording")
    settled.stock.take("recorder")
    device = rig.device("recorder", "recorder", "Recorder", place=place, host=host)
    rig.party("recording", (row and row.name) or "Recording", "recorder", listens=True, hears_on=device)
    return f"{device}.in"


def tracks(rig: Rig, settled: Settled, host: str, place: str | None, sources: list[Single]) -> None:
    """One track a voice, both sides of what has two on one recorder."""
    wants = []
    free: list[str] = []
    for n, row in enumerate(sources):
        follows = n + 1 < len(sources) and sources[n + 1].party == row.party
        if not free or (follows and len(free) == 1):
            settled.stock.take("multitrack")
            device = rig.device("multitrack", "recorder", "Recorder", place=place, host=host)
            free = [f"{device}.{port.id}" for port in rig.kind(device).inputs]
        into = free.pop(0)
        rig.lead(row.end, into)
        name = f"Track: {row.name}"
        hears_on = into.replace(".in", ".track")
        track = rig.party(f"track-{row.party}", name, "recorder", listens=True, hears_on=hears_on)
        level = number("want-background") if rig.kind_of_party(row.party) in BACKGROUND else row.under_db
        wants.append(Want(listener=track, voice=row.party, want="hear", gain_db=level))
    rig.show = rig.show.model_copy(update={"wants": (*rig.show.wants, *wants)})
