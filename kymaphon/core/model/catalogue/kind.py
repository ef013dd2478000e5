"""What a kind of device is: its sockets, strips, buses, internal paths, controls and figures."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kymaphon.core.indexed import Indexed
from kymaphon.core.model.base import Identifier, Model, Name, ScaleId
from kymaphon.core.model.catalogue.parts import Connector, Job, Power, Processor
from kymaphon.core.noise import thermal_noise_dbu

Domain = Literal["acoustic", "analog", "digital"]
OutputStage = Literal["each-leg", "floating", "impedance-balanced"]
Range = Annotated[tuple[float, float], Field(description="lowest and highest, dB")]


class Strip(Model):
    """The processing between a socket and the taps of a channel: pad, gain, phantom, then fader and mute.

    The tap before the fader is `pre`, the one after it `post`.
    """

    gain_db: Range | None = None
    gain_step_db: float = 1.0
    gain_default_db: float = 0.0
    pad_db: float | None = None
    phantom: bool = False
    phantom_on: Annotated[
        bool, Field(description="as delivered: a transmitter on the belt feeds its microphone by itself")
    ] = False
    phantom_v: Annotated[
        float,
        Field(gt=0, le=52, description="phantom supply without load; small bus-powered units give less than 48"),
    ] = 48.0
    hi_z_ohm: Annotated[
        float | None, Field(gt=0, description="impedance when switched for instruments; left out: no switch")
    ] = None
    fader_db: Range | None = None
    fader_default_db: float = 0.0
    mute: bool = False
    pan: bool = False
    does: Annotated[
        tuple[Job, ...],
        Field(description="what it has behind its gain: gate, compressor and so on, each its own"),
    ] = ()
    ein_dbu: Annotated[
        tuple[tuple[float, float], ...],
        Field(
            description="(gain dB, equivalent input noise dBu, unweighted 20 Hz to 20 kHz), rising; "
            "as measured with `ein_source_ohm` across the input"
        ),
    ] = ()
    ein_source_ohm: Annotated[
        float, Field(gt=0, le=1e6, description="resistor across the input while the EIN was measured")
    ] = 150.0

    @model_validator(mode="after")
    def _not_below_thermal(self) -> Strip:
        limit = thermal_noise_dbu(self.ein_source_ohm)
        for gain, ein in self.ein_dbu:
            if ein <= limit:
                raise ValueError(
                    f"an EIN of {ein:g} dBu at {gain:g} dB lies below the thermal noise of the {self.ein_source_ohm:g} ohm that it "
                    f"was measured with ({limit:.1f} dBu): no amplifier can be that quiet; if it was measured with less, give ein_source_ohm"
                )
        return self


class Port(Model):
    """An input or output.

    `max_db` is the level in the port's own unit at which it clips: dB SPL, dBu, or dBFS (then 0 when left
    out).
    """

    id: Identifier
    name: Name
    domain: Domain
    stereo: bool = False
    level: Annotated[
        Literal["mic", "line", "instrument", "headphone", "speaker", "digital", "sound", "any"],
        Field(description="any: takes what comes, and an output gives on what its device is given"),
    ] = "line"
    max_db: float | None = None
    impedance_ohm: float | None = None
    full_scale_dbu: Annotated[
        float | None, Field(description="analogue level of 0 dBFS at this port, instead of the device's")
    ] = None
    strip: Strip | None = None
    phantom_ma: Annotated[float | None, Field(description="draws this much phantom, and needs it")] = None
    phantom_may_ma: Annotated[
        float | None, Field(description="draws this much where phantom is there, and has another supply else")
    ] = None
    phantom_least_v: Annotated[
        float | None,
        Field(gt=0, le=52, description="works from this voltage on at its own socket; left out: not stated"),
    ] = None
    ear: Annotated[bool, Field(description="a party can listen here")] = False
    connector: Annotated[Connector | None, Field(description="left out: unknown, and nothing is said about plugs")] = (
        None
    )
    balanced: Annotated[bool | None, Field(description="left out: XLR is, everything else is not")] = None
    nominal_dbu: Annotated[float | None, Field(description="line level that it is made for; left out: +4 dBu")] = None
    output_stage: Annotated[
        OutputStage | None,
        Field(
            description="how a balanced output is driven: each leg from earth (an unbalanced input takes half of it), floating "
            "(transformer, ground-sensing: all of it), or one leg with equal impedances (all of it); left out: not known"
        ),
    ] = None
    isolated: Annotated[bool, Field(description="no metal way through: transformer, light, radio")] = False
    phantom_harm: Annotated[str, Field(description="what phantom power does to it; empty: nothing")] = ""
    socket: Annotated[str, Field(description="sockets of one name are one hole: a headset's")] = ""
    mixes: Annotated[
        bool,
        Field(description="takes several at once and mixes them, as a computer does with what its programs play"),
    ] = False


class Bus(Model):
    """A mix inside a device that is not itself a socket."""

    id: Identifier
    name: Name
    stereo: bool = False
    max_db: float | None = None
    strip: Strip | None = None


class Path(Model):
    """A way through the inside of a device.

    `gain_db` is a fixed figure or a range that can be set; of a microphone's path it is that microphone's own gain.
    Between acoustic and electrical ports it is the raw step from one unit to
    the other; between analogue and digital the converter's full scale comes on top of it by itself.
    """

    source: Annotated[Identifier, Field(alias="from")]
    target: Annotated[Identifier, Field(alias="to")]
    gain_db: float | Range = 0.0
    default_gain_db: float | None = None
    tap: tuple[Literal["pre", "post"], ...] = ()
    switch: bool = False
    on: Annotated[bool, Field(description="as delivered")] = True
    delay_ms: Annotated[float, Field(ge=0)] = 0.0
    buffers: Annotated[int, Field(ge=0, description="audio buffers of the computer that this path waits for")] = 0
    name: Name = ""

    @property
    def key(self) -> str:
        """The name of this crosspoint in a device's settings: `in1>send1`."""
        return f"{self.source}>{self.target}"


class Control(Model):
    """A knob or slider that moves several paths at once, whatever is printed beside it."""

    id: Identifier
    name: Name
    moves: tuple[str, ...]
    gain_db: Range
    default_gain_db: float = 0.0
    says: Annotated[
        Literal["monitor", "input", "record", "main", "music"] | None,
        Field(description="what is printed beside it makes people think that it moves"),
    ] = None
    must_be_up: Annotated[bool, Field(description="nothing passes with it down")] = False


class Key(Model):
    """A key under a finger: talk, listen, cough, lazy. Switched by the device's setting of its id (`on`: it is down)."""

    id: Identifier
    name: Name
    closes: Annotated[tuple[str, ...], Field(description="paths through which sound passes only while it is down")] = ()
    opens: Annotated[tuple[str, ...], Field(description="paths that it interrupts while it is down")] = ()
    dims: Annotated[tuple[str, ...], Field(description="paths that go down while it is down")] = ()
    dims_db: Annotated[float, Field(ge=0, le=60)] = 20.0
    action: Annotated[
        Literal["momentary", "latching", "either"], Field(description="either: a tap latches it, a hold does not")
    ] = "momentary"
    on: Annotated[bool, Field(description="as delivered")] = False
    programmed: Annotated[
        bool, Field(description="a crosspoint that is a key only where it is put on somebody's panel")
    ] = False


Pattern = Literal[
    "omni",
    "wide-cardioid",
    "cardioid",
    "supercardioid",
    "hypercardioid",
    "figure-of-eight",
    "gun",
    "boundary",
    "close-talking",
]


class Microphone(Model):
    """The figures of a microphone. Its path runs from the port `diaphragm` to the port `out`.

    `nearest_m` and `farthest_m` are the mouth distances that it is made for; `worn` says that it moves with the
    body (on the chest) or with the head.
    """

    pattern: Pattern
    sensitivity_dbv_pa: Annotated[float, Field(ge=-120, le=20)]
    self_noise_dba: Annotated[
        float | None,
        Field(ge=-10, le=80, description="equivalent sound level; left out: thermal noise of its impedance"),
    ] = None
    nearest_m: Annotated[float, Field(gt=0, le=50)] = 0.1
    farthest_m: Annotated[float, Field(gt=0, le=100)] = 0.4
    worn: Literal["chest", "head"] | None = None
    tube_m: Annotated[float, Field(gt=0, le=2, description="length of a gun microphone's tube")] = 0.25
    port_gap_m: Annotated[
        float, Field(gt=0, le=0.1, description="between the two sides of a close-talking microphone")
    ] = 0.012

    @model_validator(mode="after")
    def _range_is_one(self) -> Microphone:
        if self.nearest_m >= self.farthest_m:
            raise ValueError("the nearest distance must lie below the farthest")
        return self


_keys: Indexed[dict[str, Key]] = Indexed(lambda rows: {row.id: row for row in rows})
"""Id -> key, of the keys of a kind."""


class Kind(Model):
    """A generic, invented kind of device."""

    id: Identifier
    name: Name
    group: Literal[
        "microphone",
        "booster",
        "interface",
        "desk",
        "software",
        "codec",
        "phone",
        "encoder",
        "recorder",
        "headphones",
        "loudspeaker",
        "player",
        "di",
        "pad",
        "splitter",
        "isolator",
        "wireless",
        "preamp",
        "amplifier",
        "host",
        "hub",
        "app",
        "line",
        "instrument",
        "talkback",
        "camera",
    ]
    about: str = ""
    inside: Annotated[Domain, Field(description="what the signal is between the sockets")] = "analog"
    inputs: tuple[Port, ...] = ()
    outputs: tuple[Port, ...] = ()
    buses: tuple[Bus, ...] = ()
    paths: tuple[Path, ...] = ()
    controls: tuple[Control, ...] = ()
    keys: Annotated[tuple[Key, ...], Field(description="talk, listen and cough keys")] = ()
    processors: tuple[Processor, ...] = ()
    power: Annotated[Power | None, Field(description="left out: needs none, or is software")] = None
    restart: Annotated[tuple[str, ...], Field(description="settings that take hold only after a restart")] = ()
    microphone: Microphone | None = None
    inside_max_dbu: float | None = None
    floating_point: Annotated[
        bool,
        Field(
            description="counts in floating point inside: what passes full scale between its sockets is whole again once it is turned down"
        ),
    ] = False
    residual_dbu: Annotated[float | None, Field(description="noise of a mix bus with everything shut, unweighted")] = (
        None
    )
    full_scale_dbu: float | None = None
    dynamic_range_db: Annotated[
        float | None, Field(description="of its converters, A-weighted, as data sheets state it")
    ] = None
    passes_phantom: bool = False
    buffer_samples: Annotated[tuple[int, int, int] | None, Field(description="smallest, default, largest")] = None
    leak_db: Annotated[
        float | None, Field(description="level 0.3 m from the listener's head against the level in the ear")
    ] = None
    isolation_db: Annotated[float | None, Field(description="what the listener loses of the sound around")] = None
    pattern: Annotated[
        str | None, Field(description="pickup pattern of an acoustic input that is no microphone kind")
    ] = None
    runs_on: Annotated[
        bool,
        Field(description="a player that goes on into the next piece, unless its setting `single` is on"),
    ] = False
    meter: Annotated[
        ScaleId | None,
        Field(description="the meter on it; left out: lamps on a desk, a digital meter elsewhere"),
    ] = None

    @property
    def is_microphone(self) -> bool:
        return self.group == "microphone"

    @property
    def is_booster(self) -> bool:
        return self.group == "booster"

    @property
    def is_desk(self) -> bool:
        return self.group == "desk"

    @property
    def is_mixing_software(self) -> bool:
        """Mixes inside a computer."""
        return self.group == "software"

    @property
    def is_phone(self) -> bool:
        """A telephone: held to the mouth, unless it has a position of its own."""
        return self.group == "phone"

    @property
    def runs_on_battery(self) -> bool:
        """A transmitter on the belt, a telephone."""
        return self.group in ("wireless", "phone")

    @property
    def is_encoder(self) -> bool:
        """Sends the programme out over the network."""
        return self.group == "encoder"

    @property
    def is_recorder(self) -> bool:
        return self.group == "recorder"

    @property
    def is_headphones(self) -> bool:
        return self.group == "headphones"

    @property
    def is_loudspeaker(self) -> bool:
        return self.group == "loudspeaker"

    @property
    def is_computer(self) -> bool:
        """What software runs on, and USB is plugged into."""
        return self.group == "host"

    @property
    def is_player(self) -> bool:
        return self.group == "player"

    @property
    def is_talkback(self) -> bool:
        """Carries talkback: a panel, a matrix, a pack on the belt, a commentator's box."""
        return self.group == "talkback"

    @property
    def is_camera(self) -> bool:
        return self.group == "camera"

    @property
    def is_line(self) -> bool:
        """A line to the studio or the house."""
        return self.group == "line"

    @property
    def is_app(self) -> bool:
        """A call or browser inside a computer."""
        return self.group == "app"

    @property
    def is_call(self) -> bool:
        """Brings a far end: an app or a codec."""
        return self.group in ("app", "codec")

    @property
    def has_usb_ports(self) -> bool:
        """A computer or a hub."""
        return self.group in ("host", "hub")

    @property
    def runs_in_computer(self) -> bool:
        """Is a program, and no box: software that mixes, apps, encoders, recorders."""
        return self.group in ("software", "app", "encoder", "recorder")

    def port(self, port_id: str) -> Port | None:
        """The input or output of that id, or None."""
        for port in (*self.inputs, *self.outputs):
            if port.id == port_id:
                return port
        return None

    def key(self, key_id: str) -> Key | None:
        """The key of that id, or None."""
        return _keys(self.keys).get(key_id)

    def path(self, key: str) -> Path | None:
        """The path of that key (`in1>send1`), or None."""
        for path in self.paths:
            if path.key == key:
                return path
        return None

    @model_validator(mode="after")
    def _names_agree(self) -> Kind:
        names = [row.id for rows in (self.inputs, self.outputs, self.buses) for row in rows]
        if len(set(names)) != len(names):
            raise ValueError(f"kind {self.id}: two sockets or buses share a name")
        keys = {path.key for path in self.paths}
        if len(keys) != len(self.paths):
            raise ValueError(f"kind {self.id}: two paths share their ends")
        for path in self.paths:
            for end in (path.source, path.target):
                if end not in names:
                    raise ValueError(f"kind {self.id}: path {path.key} names {end}, which it does not have")
        for control in self.controls:
            for key in control.moves:
                if key not in keys:
                    raise ValueError(f"kind {self.id}: control {control.id} moves {key}, which it does not have")
        for processor in self.processors:
            for key in processor.sits:
                if key not in keys:
                    raise ValueError(f"kind {self.id}: {processor.id} sits in {key}, which it does not have")
        for row in self.keys:
            if not (row.closes or row.opens or row.dims):
                raise ValueError(f"kind {self.id}: key {row.id} moves nothing")
            for key in (*row.closes, *row.opens, *row.dims):
                if key not in keys:
                    raise ValueError(f"kind {self.id}: key {row.id} names {key}, which it does not have")
            if set(row.closes) & set(row.opens):
                raise ValueError(f"kind {self.id}: key {row.id} both closes and opens a path")
        turned = [row.id for rows in (self.controls, self.processors, self.keys) for row in rows]
        if len(set(turned)) != len(turned) or set(turned) & {*names, *keys}:
            raise ValueError(f"kind {self.id}: two controls, keys or sockets share a name")
        known = {*names, *keys, *turned, "buffer"}
        for key in self.restart:
            if key not in known:
                raise ValueError(f"kind {self.id}: a restart is asked for {key}, which it does not have")
        return self
