"""Safety copies: a second track of a voice, recorded lower, so that a shout that clips the first is still there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.own_noise import own_ein
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetValue
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.show import Cable, Device, Track
from kymaphon.core.model.weights import growth_of, white_a_db
from kymaphon.core.noise import ein_at_gain_dbu
from kymaphon.core.units import db_to_power, power_to_db
from kymaphon.core.wiring.plugging import SAFETY_LEAD


@dataclass(frozen=True)
class SafetyCopy:
    """A safety copy, or why there is none.

    Attributes:
        spare_db, copy_spare_db: from the peaks, with growth, to clipping in the track and in its copy.
        over_noise_db: voice over the noise of its own chain in the copy.
        edits: how to make it; empty where it cannot be made.
    """

    voice: str
    lowered_db: float
    possible: bool
    text: str
    spare_db: float | None = None
    copy_spare_db: float | None = None
    over_noise_db: float | None = None
    edits: tuple[Edit, ...] = ()

    def lines(self) -> tuple[Derived, ...]:
        if self.spare_db is None or self.copy_spare_db is None:
            return ()
        first = Derived("peaks with growth below clipping, first track", self.spare_db, "dB")
        more = Derived(
            "more in the copy",
            self.copy_spare_db - self.spare_db,
            "dB",
            source="its gain is lower, its socket is the same",
        )
        return (
            Derived(
                "peaks with growth below clipping, copy",
                self.copy_spare_db,
                "dB",
                "sum of the lines",
                (first, more),
                "",
                True,
            ),
        )

    def to_json(self) -> dict[str, Any]:
        return {
            "voice": self.voice,
            "lowered_db": self.lowered_db,
            "possible": self.possible,
            "text": self.text,
            "spare_db": self.spare_db,
            "copy_spare_db": self.copy_spare_db,
            "voice_over_noise_db": self.over_noise_db,
        }


def safety_copy(analysis: Computed, voice: str, lowered_db: float | None = None) -> SafetyCopy:
    """A copy of a voice through a second input of the device with its first gain, that much lower.

    A copy lowered after the converter would only be a quieter copy of the clipping; so it needs an input of its own.

    Raises:
        ValueError: lowered by nothing or less.
        KeyError: an unknown voice.
    """
    if lowered_db is None:
        lowered_db = number("safety-lower")
    if lowered_db <= 0:
        raise ValueError("a safety copy is recorded lower: give how many dB, above zero")
    name = analysis.party_name(voice)
    ladder = analysis.any_ladder(voice)
    found = _first_gain(analysis, ladder) if ladder is not None else None
    if ladder is None or found is None:
        return SafetyCopy(voice, lowered_db, False, f"{name} comes through no gain that could be lowered for a copy.")
    device, kind, port_id, socket = found
    spare = _spare(ladder, analysis, voice)
    strip = next(port.strip for port in kind.inputs if port.id == port_id)
    setting = device.settings.get(port_id)
    stands = (
        setting.gain_db
        if setting is not None and setting.gain_db is not None
        else strip.gain_default_db
        if strip
        else 0.0
    )
    if spare is None:
        text = f"No point on the way of {name} is known to clip, so what a copy would save cannot be told."
        return SafetyCopy(voice, lowered_db, False, text)
    if not _own_tracks(kind, port_id):
        text = (
            f"{device.name or kind.name} gives no track of {name} alone: what comes after its mix "
            "is one mix, clipped or not. An interface or desk with a track for each input could."
        )
        return SafetyCopy(voice, lowered_db, False, text, spare)
    twin = _free_twin(analysis, device, kind, port_id)
    if twin is None:
        text = f"{device.name or kind.name} has no free microphone input with a track of its own left for a copy of {name}."
        return SafetyCopy(voice, lowered_db, False, text, spare)
    low = strip.gain_db[0] if strip is not None and strip.gain_db is not None else 0.0
    copy_gain = stands - lowered_db
    if copy_gain < low:
        if stands - low < number("mark-near"):
            text = f"{name}'s gain stands at {show_number(stands, 'dB', sign=True)}, the end of its range: a copy cannot be lower."
            return SafetyCopy(voice, lowered_db, False, text, spare)
        copy_gain, lowered_db = low, stands - low
    copied = _copy_spare(ladder, analysis, voice, socket, lowered_db)
    over = _over_noise(socket, own_ein(strip) if strip else (), copy_gain, kind)
    track = _own_tracks(kind, twin)[0]
    lead = next(row for row in analysis.show.cables if row.target_socket == f"{device.id}.{port_id}")
    edits: list[Edit] = [
        Plug(
            Cable(
                source=lead.source,
                target=f"{device.id}.{twin}",
                length_m=lead.length_m,
                label=SAFETY_LEAD,
            )
        ),
        SetValue(SettingRef(device.id, twin, "gain_db"), round(copy_gain, 3)),
    ]
    if setting is not None and setting.phantom:
        edits.append(SetValue(SettingRef(device.id, twin, "phantom"), True))
    edits.extend(_out_of_mixes(kind, device, twin))
    known = {row.id for row in analysis.show.tracks}
    track_id = next(
        f"safety-{voice}{end}" for end in ("", *(f"-{i}" for i in range(2, 99))) if f"safety-{voice}{end}" not in known
    )
    edits.append(AddRow("tracks", Track(id=track_id, name=f"{name}, safety copy", source=f"{device.id}.{track}")))
    text = (
        f"A Y lead into {_port_name(kind, twin)}, {show_number(lowered_db, 'dB')} lower, out of every mix, to a track of its own: "
        f"it has {show_number(copied, 'dB')} to spare with growth where the first has {show_number(spare, 'dB')}, "
        f"and its voice is {show_number(over, 'dB')} over the chain's noise."
    )
    if copied - spare < lowered_db - number("mark-near"):
        text += f" The socket itself clips {show_number(copied, 'dB')} above, and a lower gain does not move that: a pad would."
    return SafetyCopy(voice, lowered_db, True, text, spare, copied, over, tuple(edits))


def _first_gain(analysis: Computed, ladder: Ladder) -> tuple[Device, Kind, str, Rung] | None:
    """Device, kind, input and socket of the first gain: the first on the way that can be turned."""
    for before, after in zip(ladder.rungs, ladder.rungs[1:], strict=False):
        owner, port_id, side, tap = NodeId.of(before.node)
        device = next((row for row in analysis.show.devices if row.id == owner), None)
        if device is None or not after.node.endswith(":pre") or side or tap:
            continue
        kind = analysis.catalogue[device.kind]
        port = next((row for row in kind.inputs if row.id == port_id), None)
        if (
            port is not None
            and port.strip is not None
            and port.strip.gain_db
            and port.strip.gain_db[0] < port.strip.gain_db[1]
        ):
            return device, kind, port_id, before
    return None


def _own_tracks(kind: Kind, port_id: str) -> list[str]:
    """Digital or line outputs of a device that carry this input and no other."""
    out = []
    for port in kind.outputs:
        into = {path.source for path in kind.paths if path.target == port.id}
        if into == {port_id} and (port.domain == "digital" or port.level == "line"):
            out.append(port.id)
    return out


def _free_twin(analysis: Computed, device: Device, kind: Kind, port_id: str) -> str | None:
    taken = {row.target_socket for row in analysis.show.cables}
    mine = next(port for port in kind.inputs if port.id == port_id)
    for port in kind.inputs:
        same = (
            port.level == mine.level
            and port.strip is not None
            and mine.strip is not None
            and port.strip.gain_db == mine.strip.gain_db
        )
        if port.id != port_id and same and f"{device.id}.{port.id}" not in taken and _own_tracks(kind, port.id):
            return port.id
    return None


def _port_name(kind: Kind, port_id: str) -> str:
    port = kind.port(port_id)
    return port.name if port is not None else port_id


def _out_of_mixes(kind: Kind, device: Device, port_id: str) -> list[Edit]:
    out: list[Edit] = []
    tracks = set(_own_tracks(kind, port_id))
    for path in kind.paths:
        if path.source == port_id and path.target not in tracks and path.switch:
            out.append(SetValue(SettingRef(device.id, path.key, "on"), False))
    return out


def _more(analysis: Computed, voice: str) -> float:
    return growth_of(analysis.show.party(voice)).value


def _spare(ladder: Ladder, analysis: Computed, voice: str) -> float | None:
    """From the peaks, with growth, to the nearest ceiling; None where none is known."""
    rows = [rung.headroom_db for rung in ladder.rungs if rung.headroom_db is not None]
    return min(rows) - _more(analysis, voice) if rows else None


def _copy_spare(ladder: Ladder, analysis: Computed, voice: str, socket: Rung, lowered_db: float) -> float:
    """Before the gain as before; at the gain's own point and its converter lower by so much."""
    rows: list[float] = []
    past = False
    for rung in ladder.rungs:
        if rung.headroom_db is not None:
            rows.append(rung.headroom_db + (lowered_db if past else 0.0))
        if past and rung.owner != socket.owner:
            break
        past = past or rung.node == socket.node
    if not rows:
        # Only what comes after the device clips, and that is lower by as much.
        rows = [rung.headroom_db + lowered_db for rung in ladder.rungs if rung.headroom_db is not None]
    return min(rows) - _more(analysis, voice)


def _over_noise(socket: Rung, ein: tuple[tuple[float, float], ...], copy_gain: float, kind: Kind) -> float:
    """Voice over noise in the copy, A-weighted: all before the socket, the preamplifier at its lower gain, one converter."""
    before = [source.level.value + more for source, more in socket.own_noise if source.kind != "preamp" or not ein]
    speech = socket.weighted_speech_db
    powers = [db_to_power(level - speech) for level in before]
    if ein:
        powers.append(db_to_power(ein_at_gain_dbu(ein, copy_gain) + white_a_db() - speech))
    if kind.dynamic_range_db is not None and kind.full_scale_dbu is not None:
        here = speech + copy_gain - kind.full_scale_dbu
        powers.append(db_to_power(-kind.dynamic_range_db - here))
    return -power_to_db(sum(powers))
