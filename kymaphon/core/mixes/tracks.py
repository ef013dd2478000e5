"""What each recorder track gets, what the files are called, how large they get, and what cannot be parted afterwards."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime

from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.levels.lineup.safety import safety_copy
from kymaphon.core.mixes.alone import Outlet, outlets
from kymaphon.core.mixes.split import split_of
from kymaphon.core.model.catalogue import Port
from kymaphon.core.model.delivery import Recording
from kymaphon.core.model.edits import AddRow, Edit, Plug, RemoveRow, apply_all
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Device, Track

PLANNED = "plan-"
"""Ids of tracks that were planned begin so."""


@dataclass(frozen=True)
class PlannedTrack:
    """One track.

    Attributes:
        sources: the outputs that it records; two for a stereo track, left first.
        voices: who is on it; for a split on the left and on the right.
        under_db: of a voice alone: how far the loudest other lies under it, by bleed.
        file: the file's name.
        into: the recorder's input, where it has one left.
        plugged: it comes there already.
    """

    id: str
    name: str
    sources: tuple[str, ...]
    voices: tuple[str, ...]
    under_db: float | None
    file: str
    into: str | None
    plugged: bool
    copy_of: str | None = None

    @property
    def channels(self) -> int:
        return len(self.sources)


@dataclass(frozen=True)
class TrackPlan:
    """All tracks, and what follows.

    Attributes:
        recorder: the device that records; None where the show has none.
        stays: what cannot be parted later, and why, in sentences.
        bytes_per_s, limit_s, left_s, length_s: of all files; to the first file's limit (None: there is none); to a full disk (None:
        nobody said what is free); planned.
        problems: what is wrong, in sentences.
        edits: tracks and cables, to be applied together.
    """

    recording: Recording
    recorder: str | None
    tracks: tuple[PlannedTrack, ...]
    stays: tuple[str, ...]
    bytes_per_s: float
    limit_s: Derived | None
    left_s: Derived | None
    length_s: Derived
    size: Derived
    problems: tuple[str, ...]
    edits: tuple[Edit, ...]


def track_plan(analysis: Computed, at: datetime, recording: Recording | None = None) -> TrackPlan:
    """The tracks of a show.

    Args:
        at: date and time for the file names, where the show has no time of its own.
        recording: how; None takes the show's own.
    """
    show = analysis.show
    how = recording or show.recording or Recording()
    device = _recorder(analysis)
    found = outlets(analysis)
    near = [row for row in found if _in_reach(device, row)]
    problems: list[str] = []
    if device is None:
        hosts = [analysis.device_name(row.id) for row in show.devices if analysis.catalogue[row.kind].is_computer]
        where = f" ({hosts[0]} can run one)" if hosts else ""
        problems.append(f"There is no recorder: add one in Rig{where}, and a party that it records for in Cast.")
    inputs = _inputs(analysis, device)
    fed = {cable.target: cable.source for cable in show.cables}
    edits: list[Edit] = [RemoveRow("tracks", row.id) for row in show.tracks if row.id.startswith(PLANNED)]
    rows = _wanted(analysis, how, device, near, inputs, fed, problems, edits) if device is not None else []
    stem = f"{slug(show.title)}_{(show.air_at or at).strftime('%Y-%m-%d_%H%M')}"
    tracks = _placed(rows, inputs, fed, stem, problems, analysis, device)
    for track in tracks:
        edits.append(AddRow("tracks", Track(id=track.id, name=track.name, source=track.sources[0])))
        if track.into is not None and not track.plugged:
            edits += [Plug(Cable(source=_whole(track.sources), target=track.into))]
    if how.safety:
        taken = {row.into for row in tracks}
        free = [f"{device.id}.{port.id}" for port in inputs if device is not None and port.domain == "digital"]
        free = [row for row in free if row not in taken and row not in fed]
        tracks, more = _with_copies(analysis, tracks, free, stem, problems)
        edits += more
    return _sized(analysis, how, device, tuple(tracks), tuple(_stays(analysis, tracks, found)), problems, tuple(edits))


def _in_reach(device: Device | None, row: Outlet) -> bool:
    """Whether a recorder can take an output as it is: digital, and in its own computer."""
    if device is None or row.unit != "dBFS" or row.device.id in (device.id, device.host):
        return False
    return row.device.host == device.host and (device.host is not None or row.device.place == device.place)


def slug(text: str) -> str:
    """A name as part of a file's name: small letters, digits and hyphens."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-") or "track"


def _recorder(analysis: Computed) -> Device | None:
    """The device that a recorder party hears on; else any recorder."""
    show = analysis.show
    for party in show.parties:
        if party.kind == "recorder" and party.hears_on:
            return show.device(party.hears_device)
    return next((row for row in show.devices if analysis.catalogue[row.kind].is_recorder), None)


def _inputs(analysis: Computed, device: Device | None) -> list[Port]:
    return list(analysis.catalogue[device.kind].inputs) if device is not None else []


@dataclass(frozen=True)
class _Row:
    """A track before it has a file and an input."""

    name: str
    outlets: tuple[Outlet, ...]
    voices: tuple[str, ...]


def _wanted(
    analysis: Computed,
    how: Recording,
    device: Device,
    found: list[Outlet],
    inputs: list[Port],
    fed: dict[str, str],
    problems: list[str],
    edits: list[Edit],
) -> list[_Row]:
    if how.way == "each":
        return _each(analysis, found, _programme(device, found, inputs, fed), problems)
    mix = _programme(device, found, inputs, fed)
    if not mix:
        problems.append("Nothing comes to the recorder, and no output carries the programme: plug a mix into it.")
        return []
    voices = tuple(dict.fromkeys(name for row in mix for name in row.voices))
    if how.way == "split":
        told, pans = split_of(analysis, device, mix)
        problems += told
        edits += pans
        return [_Row("host left, others right", mix, voices)]
    return [_Row("mix", mix, voices)]


def _programme(
    device: Device | None, found: list[Outlet], inputs: list[Port], fed: dict[str, str]
) -> tuple[Outlet, ...]:
    """What is plugged into the recorder; else the digital output, both sides, with most voices on it."""
    by_ref = {row.ref: row for row in found}
    if device is not None:
        for port in inputs:
            source = fed.get(f"{device.id}.{port.id}")
            if source is not None:
                rows = [by_ref[name] for name in (source, f"{source}.l", f"{source}.r") if name in by_ref]
                return tuple(rows[: 2 if port.stereo else 1])
    pairs: dict[str, list[Outlet]] = {}
    for row in found:
        pairs.setdefault(f"{row.device.id}.{row.port.id}", []).append(row)
    ranked = sorted(pairs.values(), key=lambda rows: (-len({name for row in rows for name in row.voices}), -len(rows)))
    return tuple(ranked[0]) if ranked and ranked[0][0].voices else ()


def _each(analysis: Computed, found: list[Outlet], mix: tuple[Outlet, ...], problems: list[str]) -> list[_Row]:
    """For each voice the output that has it alone and that the recorder can take; those without one on the mix that they share."""
    rows: list[_Row] = []
    together: list[str] = []
    for voice in analysis.voices:
        alone = [row for row in found if tuple(row.voices) == (voice.id,)]
        if not alone:
            together.append(voice.id)
            continue
        best = max(alone, key=lambda row: row.under_db(voice.id) or 0.0)
        sides = [row for row in alone if row.device.id == best.device.id and row.port.id == best.port.id]
        rows.append(_Row(voice.name, tuple(sides), (voice.id,)))
    if not rows:
        problems.append("One track a person cannot be had: no voice is alone at any output that the recorder can take.")
    if together and mix:
        rows.append(_Row("mix", mix, tuple(dict.fromkeys(name for row in mix for name in row.voices))))
    return rows


def _placed(
    rows: list[_Row],
    inputs: list[Port],
    fed: dict[str, str],
    stem: str,
    problems: list[str],
    analysis: Computed,
    device: Device | None,
) -> list[PlannedTrack]:
    """Tracks with files and inputs: where each is plugged already, else the next free input that takes it."""
    free = {port.id: port for port in inputs if device is not None and f"{device.id}.{port.id}" not in fed}
    out: list[PlannedTrack] = []
    short = []
    for n, row in enumerate(rows, start=1):
        refs = tuple(outlet.ref for outlet in row.outlets)
        into, plugged = None, False
        if device is not None:
            there = [port for port in inputs if fed.get(f"{device.id}.{port.id}") in (_whole(refs), refs[0])]
            if there:
                into, plugged = f"{device.id}.{there[0].id}", True
            else:
                domain = row.outlets[0].port.domain
                fitting = [port for port in free.values() if port.domain == domain and (port.stereo or len(refs) == 1)]
                if fitting:
                    into = f"{device.id}.{free.pop(fitting[0].id).id}"
                else:
                    short.append(row.name)
        under = row.outlets[0].under_db(row.voices[0]) if len(row.voices) == 1 else None
        out.append(
            PlannedTrack(
                f"{PLANNED}{n}", row.name, refs, row.voices, under, f"{stem}_{n:02}-{slug(row.name)}.wav", into, plugged
            )
        )
    if short and device is not None:
        name = device.name or analysis.catalogue[device.kind].name
        word = "input" if len(inputs) == 1 else "inputs"
        problems.append(
            f"{name} has {len(inputs)} {word}; without one are: {', '.join(short)}. A recorder with more tracks is in the catalogue."
        )
    return out


def _whole(refs: tuple[str, ...]) -> str:
    """Both sides of an output as the whole output."""
    return refs[0].removesuffix(".l") if len(refs) == 2 else refs[0]


def _with_copies(
    analysis: Computed,
    tracks: list[PlannedTrack],
    free: list[str],
    stem: str,
    problems: list[str],
) -> tuple[list[PlannedTrack], list[Edit]]:
    """Safety copies of the voices, each on an input of its own, where they can be made; else what stands in the way.

    Args:
        free: inputs of the recorder that nothing is planned for.
    """
    out, edits = list(tracks), []
    now = analysis
    for voice in analysis.voices:
        if voice.kind not in ("presenter", "guest", "instrument"):
            continue
        copy = safety_copy(now, voice.id)
        if not copy.possible:
            problems.append(f"No safety copy of {voice.name}: {copy.text}")
            continue
        rows = list(copy.edits)
        added = next(edit.row for edit in rows if isinstance(edit, AddRow) and isinstance(edit.row, Track))
        source = added.source or ""
        giver, port_id, _ = PortId.of(source)
        port = analysis.catalogue[analysis.show.device(giver).kind].port(port_id)
        into = free.pop(0) if free and port is not None and port.domain == "digital" else None
        if into is None:
            problems.append(f"The recorder has no input left for the safety copy of {voice.name}.")
        else:
            rows.append(Plug(Cable(source=source, target=into)))
        edits += rows
        # The next copy must not take the same input.
        now = without_rules(apply_all(now.show, tuple(rows)), analysis.catalogue)
        n = len(out) + 1
        name = f"{stem}_{n:02}-{slug(voice.name)}-safety.wav"
        out.append(PlannedTrack(added.id, added.name, (source,), (voice.id,), None, name, into, False, voice.id))
    return out, edits


def _stays(analysis: Computed, tracks: list[PlannedTrack], found: list[Outlet]) -> list[str]:
    """What no edit can part later: voices without a track of their own, and where each was last alone."""
    alone = {track.voices[0] for track in tracks if len(track.voices) == 1}
    out = []
    for track in tracks:
        mixed = [voice for voice in track.voices if voice not in alone]
        if len(mixed) > 1:
            names = ", ".join(analysis.party_name(voice) for voice in mixed)
            out.append(f"{names} are in one mix: what is wrong in it stays wrong, and a cough of one is in all.")
    for track in tracks:
        if len(track.voices) == 1 and track.under_db is not None and track.under_db < number("alone-over"):
            name = analysis.party_name(track.voices[0])
            out.append(
                f"{name}'s track has the others {show_number(track.under_db, 'dB')} under it by bleed: muting {name} there leaves them, further away."
            )
    spots = []
    for voice in analysis.voices:
        if voice.id in alone or not any(voice.id in track.voices for track in tracks):
            continue
        last = [row for row in found if tuple(row.voices) == (voice.id,)]
        if last:
            row = max(last, key=lambda row: analysis.graph.index[row.ref])
            spots.append(f"{voice.name} at {row.device.name or analysis.catalogue[row.device.kind].name}")
    if spots:
        out.append(
            f"Alone for the last time: {', '.join(spots)}. A split there, into an input of the recorder's interface, gives a track."
        )
    return out


def _sized(
    analysis: Computed,
    how: Recording,
    device: Device | None,
    tracks: tuple[PlannedTrack, ...],
    stays: tuple[str, ...],
    problems: list[str],
    edits: tuple[Edit, ...],
) -> TrackPlan:
    rate = how.rate_hz or analysis.show.sample_rate_hz
    channels = [track.channels for track in tracks]
    sample = how.bits // 8
    per_s = float(rate * sample * sum(channels))
    widest = sum(channels) if how.together else max(channels, default=0)
    length = planned_length(analysis, how)
    formula = f"{length.value:.0f} s \u00d7 {rate} \u00d7 {sample} bytes \u00d7 {sum(channels)} channels"
    size = Derived("size of the recording", per_s * length.value, "bytes", formula)
    limit = file_limit(rate, how.bits, widest) if how.files == "wav" and widest else None
    if limit is not None and limit.value < length.value * (1 + number("record-spare") / 100):
        problems.append(
            f"A file reaches 4 GiB after {duration(limit.value)}, the show is planned for "
            f"{duration(length.value)} and may run a quarter longer: stop and start anew by then, or record as RF64, which goes on."
        )
    left = None
    if how.free_bytes is not None and per_s:
        spare = 1 - number("disk-spare") / 100
        left = Derived(
            "time until the disk is full",
            how.free_bytes * spare / per_s,
            "s",
            f"{how.free_bytes / 1e9:.1f} GB \u00d7 {spare:.2f} / {per_s / 1000:.0f} kB/s",
            source=figure("disk-spare").source,
        )
        if left.value < length.value * (1 + number("record-spare") / 100):
            need = per_s * length.value * (1 + number("record-spare") / 100) / spare
            problems.append(
                f"The disk is full after {duration(left.value)}; {duration(length.value)} and a quarter more take {need / 1e9:.1f} GB."
            )
    return TrackPlan(
        how,
        device.id if device is not None else None,
        tracks,
        stays,
        per_s,
        limit,
        left,
        length,
        size,
        tuple(problems),
        edits,
    )


def planned_length(analysis: Computed, how: Recording) -> Derived:
    """How long is recorded: as said, else the rundown's sum, else the usual session."""
    if how.length_s is not None:
        return Derived("planned length", how.length_s, "s", source="show: recording")
    lengths = [row.length_s for row in analysis.show.rundown if row.length_s is not None]
    if lengths:
        return Derived("planned length", sum(lengths), "s", source="show: sum of the rundown")
    hours = figure("session-hours")
    return Derived("planned length", hours.value * 3600, "s", source=hours.source)


def file_limit(rate_hz: int, bits: int, channels: int) -> Derived:
    """Seconds until a RIFF WAV file reaches its limit of 4 GiB."""
    limit = figure("riff-limit")
    seconds = limit.value / (rate_hz * bits / 8 * channels)
    formula = f"2\u00b3\u00b2 / ({rate_hz} \u00d7 {bits // 8} \u00d7 {channels})"
    return Derived("time until a file is full", seconds, "s", formula, source=limit.source)


def duration(seconds: float) -> str:
    """`4 h 8 min 33 s`; without parts that are nought, and without seconds from ten hours on."""
    whole = int(seconds)
    parts = [(whole // 3600, "h"), (whole // 60 % 60, "min"), (whole % 60 if whole < 36000 else 0, "s")]
    return " ".join(f"{value} {unit}" for value, unit in parts if value) or "0 s"
