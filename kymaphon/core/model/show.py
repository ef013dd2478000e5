"""The show: who, where, what is plugged into what, and how everything is set. Frozen; an edit makes a new
one.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, TypeVar

from pydantic import AwareDatetime, Field, field_validator, model_validator

from kymaphon.core.indexed import Indexed
from kymaphon.core.model.answers import Answers
from kymaphon.core.model.base import (
    Degrees,
    Effort,
    Extent,
    Identifier,
    Model,
    Name,
    PartyKind,
    Point,
    PortRef,
    ScaleId,
    Shield,
    TimeZone,
    WantKind,
)
from kymaphon.core.model.catalogue.kind import Kind
from kymaphon.core.model.catalogue.loader import MOST_OWN_ROWS, expand
from kymaphon.core.model.catalogue.parts import Feed
from kymaphon.core.model.delivery import Recording, Streaming
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.practice import PointMark, Practice
from kymaphon.core.model.processing import Chain
from kymaphon.core.model.rundown import AirEvent, AirNote, Segment
from kymaphon.core.model.talk import Circuit, CrewMember, Line, Task

FORMAT_VERSION = 1
NoiseKind = Literal["room-tone", "fan", "traffic", "crowd", "music", "wind"]
Liveliness = Literal["dead", "treated", "ordinary", "live"]


class NoiseSpot(Model):
    """A source of noise that stands somewhere on the plan, on top of a place's steady background."""

    id: Identifier
    name: Name
    at_m: Point
    level_dba_1m: Annotated[float, Field(ge=0, le=140, description="measured at 1 m")] = 45.0
    noise: NoiseKind = "fan"


class Surface(Model):
    """Something that reflects: an upright wall, window or screen from one point to another, or a table top
    whose corners these are.
    """

    id: Identifier
    name: Name
    shape: Literal["wall", "table"] = "wall"
    from_m: Point
    to_m: Point
    finish: Literal["hard", "soft"] = "hard"


class PowerRun(Model):
    """A lead or lamp that audio cables should keep away from, by the spots on the plan that it runs through."""

    id: Identifier
    name: Name
    sort: Annotated[Literal["mains", "dimmed", "lamp", "coil"], Field(description="coil: the slack lies coiled")] = (
        "mains"
    )
    points_m: Annotated[tuple[Point, ...], Field(min_length=1, max_length=40)]
    current_a: Annotated[float, Field(gt=0, le=400)] = 5.0


class Place(Model):
    """A room, deck or yard with its own air.

    `ambient_dba` is the steady level at a listener's position, without the noises that stand on the plan.
    """

    id: Identifier
    name: Name
    size_m: Annotated[tuple[Extent, Extent] | None, Field(description="width and depth")] = None
    ambient_dba: Annotated[float, Field(ge=-10, le=140)] = 35.0
    noise: NoiseKind = "room-tone"
    liveliness: Liveliness = "ordinary"
    rt60_s: Annotated[
        float | None,
        Field(
            gt=0.05,
            le=20,
            description="reverberation time as measured, at middle frequencies; instead of liveliness",
        ),
    ] = None
    outdoors: Annotated[bool, Field(description="no walls, no reverberation")] = False
    height_m: Annotated[float | None, Field(ge=1, le=100, description="of the room; left out: assumed")] = None
    wind_m_s: Annotated[
        float | None, Field(ge=0, le=40, description="wind speed; left out: assumed where the noise is wind")
    ] = None
    speakers_mute: Annotated[bool, Field(description="an open microphone here mutes the loudspeakers here")] = False
    noises: tuple[NoiseSpot, ...] = ()
    surfaces: tuple[Surface, ...] = ()
    runs: Annotated[tuple[PowerRun, ...], Field(description="mains leads, dimmed leads, lamps")] = ()

    @model_validator(mode="after")
    def _names_differ(self) -> Place:
        names = [row.id for rows in (self.noises, self.surfaces, self.runs) for row in rows]
        if len(set(names)) != len(names):
            raise ValueError("two noises, surfaces or leads of one place share an id")
        return self


class Party(Model):
    """Somebody or something that is heard, or hears, or both."""

    id: Identifier
    name: Name
    kind: PartyKind
    place: Identifier | None = None
    at_m: Point | None = None
    faces_deg: Annotated[
        Degrees | None, Field(description="anticlockwise from the x axis; left out: the own microphone")
    ] = None
    speaks: bool = False
    listens: bool = False
    hears_on: Annotated[str | None, Field(description="device or device.port that this party listens on")] = None
    plays_on: Annotated[
        str | None, Field(description="device.port where the voice of a party without a mouth begins")
    ] = None
    effort: Effort = "normal"
    level_db_spl_1m: Annotated[
        float | None,
        Field(ge=0, le=160, description="measured at 1 m, unweighted (Z or C on the meter); instead of effort"),
    ] = None
    level_dbu: Annotated[
        float | None,
        Field(
            ge=-120,
            le=40,
            description="of an analogue `plays_on`: average level there as measured; instead of its nominal level",
        ),
    ] = None
    level_dbfs: Annotated[
        float | None,
        Field(ge=-120, le=0, description="of a digital `plays_on`: average level there as measured (AES17)"),
    ] = None
    dim_db: Annotated[
        float | None,
        Field(ge=0, le=60, description="so far the programme goes down in these ears while the crew talks"),
    ] = None
    time_zone: Annotated[TimeZone | None, Field(description="where they are by the clock; left out: the show's")] = None

    @property
    def hears_device(self) -> str:
        """Id of the device that it listens on; empty where it listens on none. Likewise `plays_device`."""
        return PortId.of(self.hears_on or "").device

    @property
    def plays_device(self) -> str:
        return PortId.of(self.plays_on or "").device


class Setting(Model):
    """How one strip, crosspoint or control stands. A value not given stands at its kind's default."""

    gain_db: Annotated[float | None, Field(ge=-120, le=120)] = None
    pad: bool | None = None
    phantom: bool | None = None
    hi_z: Annotated[bool | None, Field(description="input switched for instruments")] = None
    fader_db: Annotated[float | None, Field(ge=-120, le=20)] = None
    mute: bool | None = None
    pan: Annotated[float | None, Field(ge=-1, le=1, description="-1 left, 0 centre, 1 right")] = None
    on: bool | None = None
    tap: Literal["pre", "post"] | None = None
    samples: Annotated[int | None, Field(ge=8, le=16384, description="buffer length")] = None
    chain: Annotated[
        Chain | None,
        Field(description="low cut, gate and so on in a strip, behind its gain; thresholds in its unit"),
    ] = None


class Device(Model):
    """A thing of some catalogue kind, standing somewhere, with its settings."""

    id: Identifier
    kind: Identifier
    name: Name | None = None
    place: Identifier | None = None
    at_m: Point | None = None
    aim_deg: Degrees | None = None
    party: Annotated[Identifier | None, Field(description="whose microphone, headphones or telephone")] = None
    shield: Annotated[Shield, Field(description="against wind and breath")] = "none"
    host: Annotated[Identifier | None, Field(description="the computer that it hangs on by USB, or runs on")] = None
    power: Annotated[Feed | None, Field(description="what it runs from; left out: as its kind says")] = None
    circuit: Annotated[str | None, Field(max_length=40, description="mains circuit; left out: that of its place")] = (
        None
    )
    meter_offset_db: Annotated[
        float,
        Field(
            ge=-40,
            le=40,
            description="its own meter reads so much more than the level: as trimmed, or as found",
        ),
    ] = 0.0
    settings: dict[str, Setting] = Field(default_factory=dict)


class Cable(Model):
    """From an output to an input. A network link or a plug-in path inside a computer is a cable too."""

    source: Annotated[PortRef, Field(alias="from")]
    target: Annotated[PortRef, Field(alias="to")]
    length_m: Annotated[float | None, Field(ge=0, le=100000)] = None
    label: Annotated[str, Field(max_length=200)] = ""
    adapter: Annotated[Identifier | None, Field(description="what joins two ends that do not fit")] = None
    route_m: Annotated[
        tuple[Point, ...], Field(max_length=40, description="spots on the plan between its two ends")
    ] = ()
    coiled: Annotated[bool, Field(description="its slack lies coiled")] = False

    @property
    def ends(self) -> tuple[str, str]:
        """From and to: what tells one cable from another."""
        return self.source, self.target

    @property
    def source_device(self) -> str:
        """Id of the device that it comes from; likewise `target_device`."""
        return PortId.of(self.source).device

    @property
    def target_device(self) -> str:
        return PortId.of(self.target).device

    @property
    def source_socket(self) -> str:
        """The whole socket that it comes from, whichever side; likewise `target_socket`."""
        return PortId.of(self.source).socket

    @property
    def target_socket(self) -> str:
        return PortId.of(self.target).socket


def same_socket(first: str, second: str) -> bool:
    """Whether two ends of cables cannot both be used: the same one, or a whole socket and one side of it."""
    if first == second:
        return True
    a, b = PortId.of(first), PortId.of(second)
    return a.socket == b.socket and bool(a.side) != bool(b.side)


class Want(Model):
    """What a listener should get of a voice."""

    listener: Identifier
    voice: Identifier
    want: WantKind
    gain_db: Annotated[float, Field(ge=-60, le=40, description="wanted level against the listener's mark")] = 0.0


class Take(Model):
    """A recording that was measured, and where in the rig it was made."""

    id: Identifier
    file: str
    what: Literal["voice", "room-tone", "music", "other"] = "other"
    voice: Annotated[Identifier | None, Field(description="the party whose microphone recorded it")] = None
    at: Annotated[str | None, Field(description="node of the rig where it was recorded")] = None
    recorded_at: AwareDatetime | None = None
    gain_db: Annotated[float | None, Field(ge=-120, le=120, description="gain of its strip when it was recorded")] = (
        None
    )
    channel: Annotated[int | None, Field(ge=1, le=256, description="which of its channels, from 1")] = None
    room_s: Annotated[
        tuple[tuple[float, float], ...], Field(max_length=1000, description="stretches of room, set by hand")
    ] = ()
    talk_s: Annotated[
        tuple[tuple[float, float], ...], Field(max_length=1000, description="stretches of talk, set by hand")
    ] = ()
    noise_dbfs: Annotated[float | None, Field(ge=-300, le=10, description="its noise floor, unweighted")] = None
    noise_a_dbfs: Annotated[float | None, Field(ge=-300, le=10, description="the same, A-weighted")] = None
    loudness_lufs: Annotated[
        float | None,
        Field(ge=-120, le=20, description="integrated loudness, of a programme that a party plays"),
    ] = None
    path_gain_db: Annotated[
        float | None, Field(description="dBFS at `at` for 0 dB SPL at the microphone, as the rig then stood")
    ] = None
    electronic_noise_dbfs: Annotated[
        float | None, Field(description="noise of microphone and electronics at `at`, as the rig then stood")
    ] = None
    electronic_noise_a_dbfs: Annotated[float | None, Field(description="the same, A-weighted")] = None
    sha256: str | None = None


class Track(Model):
    """One track of a recorder."""

    id: Identifier
    name: Name = ""
    source: Annotated[str | None, Field(alias="from")] = None


class LineUpReading(Model):
    """What came of one source at line-up: what its meter should show, what it showed, and what followed."""

    voice: Identifier
    at: Annotated[str, Field(max_length=140, description="point of the rig where it was read")]
    scale: ScaleId
    peaks: Annotated[bool, Field(description="the meter was read at its peaks")] = False
    expected: Annotated[float, Field(ge=-200, le=100)]
    shown: Annotated[float, Field(ge=-200, le=100)]
    off_db: Annotated[float, Field(ge=-300, le=300, description="above the mark")]
    turn_db: Annotated[float, Field(ge=-300, le=300, description="suggested turn of the gain")] = 0.0
    turned: Annotated[bool, Field(description="the gain was turned by as much")] = False
    passed: bool
    measured: Annotated[bool, Field(description="measured, not typed in")] = False
    note: Annotated[str, Field(max_length=500)] = ""


class ProvenPair(Model):
    """A pair that a tap has shown to be as it is wanted, and a digest of the way that it was shown of."""

    listener: Identifier
    voice: Identifier
    comes: Annotated[bool, Field(description="it was to be heard, and was; else it was to be silent, and was")] = True
    way: Annotated[
        str, Field(max_length=64, description="digest of the steps between them; another one: proven no more")
    ]


class CircuitCheck(Model):
    """A circuit tried by voice, one way: what came of it, who says so, and a digest of the way that it went."""

    circuit: Identifier
    speaker: Identifier
    listener: Identifier
    result: Literal["good", "weak", "nothing"]
    by: Annotated[str, Field(max_length=80, description="who tried it")] = ""
    note: Annotated[str, Field(max_length=500)] = ""
    way: Annotated[
        str, Field(max_length=64, description="digest of the steps between them; another one: tried no more")
    ]


LogSort = Literal[
    "line-up", "circuit-check", "tap-test", "take", "gate", "incident", "drill", "air", "note", "change", "other"
]


class SetPoint(Model):
    """How one setting stood, as `device.key.field`: in the log, so that what was set at a moment is told by it alone."""

    ref: Annotated[str, Field(max_length=200)]
    value: float | bool | str | None = None


class LogEntry(Model):
    """What happened, when."""

    at: AwareDatetime
    text: Annotated[str, Field(max_length=2000)]
    subject: str | None = None
    line_up: LineUpReading | None = None
    proven: Annotated[tuple[ProvenPair, ...], Field(max_length=10000)] = ()
    circuit_check: CircuitCheck | None = None
    air: AirEvent | None = None
    note: AirNote | None = None
    sort: Annotated[LogSort | None, Field(description="left out: told by what it carries")] = None
    sets: Annotated[
        tuple[SetPoint, ...],
        Field(max_length=20_000, description="settings as they stood after it, or that it changed"),
    ] = ()

    @property
    def told_sort(self) -> LogSort:
        """What sort of entry it is: as it says, else by what it carries."""
        if self.sort is not None:
            return self.sort
        carried: tuple[tuple[object, LogSort], ...] = (
            (self.line_up, "line-up"),
            (self.circuit_check, "circuit-check"),
            (self.proven, "tap-test"),
            (self.air, "air"),
            (self.note, "note"),
        )
        return next((name for value, name in carried if value), "other")


_Row = TypeVar("_Row", Party, Device, Place)


class Show(Model):
    """A whole show. Top-level names and `device.port` references are fixed, so that shows can be written by
    hand.
    """

    kymaphon: Annotated[int, Field(description="format version")] = FORMAT_VERSION
    title: Name = "Untitled show"
    subtitle: Name = ""
    air_at: AwareDatetime | None = None
    time_zone: Annotated[
        TimeZone | None, Field(description="by whose clock times are told; left out: that of `air_at`")
    ] = None
    mains_hz: Literal[50, 60] = 50
    sample_rate_hz: Annotated[int, Field(ge=8000, le=768000)] = 48000
    practice: Identifier = "digital-voice"
    practices: Annotated[
        tuple[Practice, ...],
        Field(description="the user's own practices; one of a shipped id stands in for it"),
    ] = ()
    marks: Annotated[tuple[PointMark, ...], Field(description="points with a practice other than the show's")] = ()
    vu_zero_dbu: Annotated[float, Field(ge=-20, le=20, description="house alignment: 0 VU")] = 4.0
    line_up_dbfs: Annotated[
        float,
        Field(ge=-30, le=0, description="0 dBu where no converter says; EBU R 68: -18, SMPTE RP 155: -20"),
    ] = -18.0
    kinds: Annotated[tuple[Kind, ...], Field(description="the user's own kinds of device that this show uses")] = ()
    places: tuple[Place, ...] = ()
    parties: tuple[Party, ...] = ()
    devices: tuple[Device, ...] = ()
    cables: tuple[Cable, ...] = ()
    wants: tuple[Want, ...] = ()
    tracks: tuple[Track, ...] = ()
    recording: Annotated[Recording | None, Field(description="left out: a mix, 24 bit")] = None
    streaming: Annotated[Streaming | None, Field(description="left out: nothing is known of the network")] = None
    circuits: Annotated[tuple[Circuit, ...], Field(max_length=200)] = ()
    lines: Annotated[tuple[Line, ...], Field(max_length=200)] = ()
    fixed_channels: Annotated[
        tuple[PortRef, ...],
        Field(max_length=500, description="channels of a desk whose source stays where it is plugged"),
    ] = ()
    crew: Annotated[tuple[CrewMember, ...], Field(max_length=200, description="who works before air")] = ()
    rundown: tuple[Segment, ...] = ()
    takes: tuple[Take, ...] = ()
    tasks: tuple[Task, ...] = ()
    log: tuple[LogEntry, ...] = ()
    answers: Annotated[Answers | None, Field(description="what it was composed from; left out: made by hand")] = None

    @field_validator("kinds", mode="before")
    @classmethod
    def _written_out(cls, kinds: Any) -> Any:
        """Rows with `each` are written out, as in a file of kinds."""
        if not isinstance(kinds, list | tuple):
            return kinds
        return [expand(row, MOST_OWN_ROWS) if isinstance(row, dict) else row for row in kinds]

    def party(self, party_id: str) -> Party:
        """The party of that id. Raises KeyError when there is none."""
        return _by_id(self.parties, party_id)

    def device(self, device_id: str) -> Device:
        """The device of that id. Raises KeyError when there is none."""
        return _by_id(self.devices, device_id)

    def find_device(self, device_id: str) -> Device | None:
        """The device of that id; None when there is none, as for a party's id."""
        found: Device | None = _ids(self.devices).get(device_id)
        return found

    def place(self, place_id: str) -> Place:
        """The place of that id. Raises KeyError when there is none."""
        return _by_id(self.places, place_id)


_FEW = 24
"""Up to so many rows looking through them is as quick as an index."""
_ids: Indexed[dict[str, Any]] = Indexed(lambda rows: {row.id: row for row in reversed(rows)})


def _by_id(rows: tuple[_Row, ...], wanted: str) -> _Row:
    if len(rows) <= _FEW:
        for row in rows:
            if row.id == wanted:
                return row
        raise KeyError(wanted)
    found: _Row = _ids(rows)[wanted]
    return found
