"""One device laid out inside: sockets, gains, faders, buses, internal paths, and the noise each of them adds."""

from __future__ import annotations

import math

from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import number
from kymaphon.core.graph.draft import UNITS, Draft, sides
from kymaphon.core.graph.own_noise import measured_with, own_ein, own_noise
from kymaphon.core.graph.phantom import phantom_of
from kymaphon.core.graph.signal import Dim, Knob, Node, Switch
from kymaphon.core.model.catalogue import Bus, Kind, Path, Port, Strip
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.show import Device, Setting
from kymaphon.core.model.weights import weighted_unit, white_a_db
from kymaphon.core.noise import ein_at_gain_dbu
from kymaphon.core.units import PASCAL_DB_SPL, buffer_ms, dbv_to_dbu

_NOTHING = Setting()


class DeviceBuilder:
    """Lays out one device. Holds what every step needs to know."""

    def __init__(self, draft: Draft, device: Device) -> None:
        self.draft = draft
        self.device = device
        self.kind = draft.kind(device)
        self.name = device_name(draft.show, device, self.kind.name)
        self.inside = UNITS[self.kind.inside]
        self.broken = phantom_of(draft.show, draft.catalogue, device).broken
        lengths = self.kind.buffer_samples
        self.samples = device.settings.get("buffer", _NOTHING).samples or (lengths[1] if lengths else 0)

    def build(self) -> None:
        for port in self.kind.inputs:
            self._input(port)
        points: list[Port | Bus] = [*self.kind.buses, *self.kind.outputs]
        for row in points:
            self._mix_point(row)
        for path in self.kind.paths:
            self._path(path)

    def setting(self, key: str) -> Setting:
        return self.device.settings.get(key, _NOTHING)

    def ref(self, key: str, name: str) -> SettingRef:
        return SettingRef(self.device.id, key, name)

    def _add(self, node_id: str, label: str, unit: str, ceiling: Derived | None) -> str:
        self.draft.add(Node(node_id, label, unit, self.device.id, self.device.place, ceiling))
        return node_id

    def _ceiling(self, value: float | None, unit: str, name: str) -> Derived | None:
        if value is None:
            return None
        return Derived(f"clips at, {name}", value, unit, source=f"device data: {self.kind.name}")

    def _inside_ceiling(self, name: str) -> Derived | None:
        if self.inside == "dBFS":
            return Derived(f"clips at, {name}", 0.0, "dBFS", source="full scale (AES17)")
        return self._ceiling(self.kind.inside_max_dbu, self.inside, name)

    def _port_ceiling(self, port: Port, raise_db: float = 0.0) -> Derived | None:
        unit = UNITS[port.domain]
        if unit == "dBFS":
            return Derived(f"clips at, {port.name}", port.max_db or 0.0, unit, source="full scale (AES17)")
        if port.max_db is None:
            return None
        return self._ceiling(port.max_db + raise_db, unit, port.name)

    def _full_scale(self, port: Port | None) -> float:
        own = port.full_scale_dbu if port else None
        return own if own is not None else (self.kind.full_scale_dbu or 0.0)

    def _conversion(self, source_unit: str, target_unit: str, port: Port | None) -> tuple[Derived, ...]:
        """The converter's step, where the path crosses between volts and numbers."""
        crossing = {("dBu", "dBFS"): -1.0, ("dBFS", "dBu"): 1.0}.get((source_unit, target_unit))
        if crossing is None:
            return ()
        full = self._full_scale(port)
        text = f"converter: 0 dBFS is {full:+.1f} dBu"
        return (Derived(text, crossing * full, "dB", source=f"device data: {self.kind.name}"),)

    def _converter_noise(self, node_id: str, unit: str, port: Port | None) -> None:
        reach = self.kind.dynamic_range_db
        if reach is None:
            return
        level = -reach if unit == "dBFS" else self._full_scale(port) - reach
        source = f"device data: dynamic range {reach:.0f} dB, A-weighted"
        noise = Derived(f"{self.name}, converter", level, weighted_unit(unit), source=source)
        self.draft.noise(node_id, "converter", noise, level - white_a_db())

    # inputs: socket -> pre -> post

    def _input(self, port: Port) -> None:
        for side in sides(port.stereo):
            self._input_side(port, side)

    def _input_side(self, port: Port, side: str) -> None:
        base = f"{self.device.id}.{port.id}{side}"
        label = f"{self.name}, {port.name}{_side_word(side)}"
        unit = UNITS[port.domain]
        strip, setting = port.strip, self.setting(port.id)
        pad = -(strip.pad_db or 0.0) if strip and strip.pad_db and setting.pad else 0.0
        self._add(base, label, unit, self._port_ceiling(port, -pad))
        if port.domain == "acoustic":
            self._acoustic_noise(base, port)
            return
        crosses = unit != self.inside
        if strip is None and not crosses:
            return
        gain_parts: list[Derived] = []
        knobs: tuple[Knob, ...] = ()
        if strip and strip.gain_db:
            gain = strip.gain_default_db if setting.gain_db is None else setting.gain_db
            low, high = strip.gain_db
            gain_parts.append(_set_gain(f"gain, {port.name}", gain, self._origin(setting.gain_db, strip.gain_db)))
            if low != high:
                ref = self.ref(port.id, "gain_db")
                knobs = (Knob(ref, f"{self.name}, {port.name}, gain", gain, low, high, strip.gain_step_db, True),)
            if strip.ein_dbu:
                self.draft.white_noise(base, "preamp", self._preamp_noise(port, strip, gain, pad))
        if pad:
            gain_parts.append(_set_gain("pad", pad, "setting"))
        gain_parts.extend(self._conversion(unit, self.inside, port))
        pre = self._add(f"{base}:pre", f"{label}, after gain", self.inside, self._inside_ceiling(port.name))
        self.draft.join(base, pre, tuple(gain_parts), knobs=knobs)
        if crosses:
            self._converter_noise(pre, self.inside, port)
        if strip and (strip.fader_db or strip.mute):
            post = self._add(f"{base}:post", f"{label}, after fader", self.inside, self._inside_ceiling(port.name))
            self._fader(pre, post, port.id, port.name, strip)

    def _preamp_noise(self, port: Port, strip: Strip, gain: float, pad: float) -> Derived:
        """What a preamplifier adds by itself: its stated EIN less the resistor that it was measured with."""
        ein = Derived(
            "equivalent input noise",
            ein_at_gain_dbu(strip.ein_dbu, gain),
            "dBu",
            source=f"device data: EIN at {gain:.0f} dB of gain",
        )
        own = Derived(
            "of the amplifier alone",
            ein_at_gain_dbu(own_ein(strip), gain),
            "dBu",
            "10 lg(10^(EIN/10) \u2212 10^(thermal/10))",
            (ein, measured_with(strip)),
            "EIN is measured with a resistor across the input",
        )
        terms = (own, Derived("the pad before it", -pad, "dB", source="setting")) if pad else (own,)
        return total(f"{self.name}, {port.name}, preamp", UNITS[port.domain], terms)

    def _fader(self, source: str, target: str, key: str, name: str, strip: Strip) -> None:
        setting = self.setting(key)
        parts: tuple[Derived, ...] = ()
        knobs: tuple[Knob, ...] = ()
        broken = ""
        if strip.fader_db:
            level = strip.fader_default_db if setting.fader_db is None else setting.fader_db
            low, high = strip.fader_db
            parts = (_set_gain(f"fader, {name}", level, self._origin(setting.fader_db, strip.fader_db)),)
            knobs = (Knob(self.ref(key, "fader_db"), f"{self.name}, {name}, fader", level, low, high, 0.5),)
            if level <= number("off-fader"):
                broken = f"the fader of {name} is down"
        switches: tuple[Switch, ...] = ()
        if strip.mute:
            muted = bool(setting.mute)
            switches = (Switch(self.ref(key, "mute"), f"{self.name}, {name}, mute", False, muted),)
        self.draft.join(source, target, parts, knobs=knobs, switches=switches, broken=broken)

    def _origin(self, given: float | None, limits: tuple[float, float]) -> str:
        what = "setting" if given is not None else "as delivered"
        return f"{what}, range {limits[0]:g} to {limits[1]:g} dB".replace("-", "\u2212")

    def _acoustic_noise(self, node: str, port: Port) -> None:
        if self.kind.microphone is not None:
            noise = own_noise(self.kind, self.name)
            self.draft.noise(node, "microphone", noise, noise.value - white_a_db())

    # buses and outputs: [mix ->] point

    def _mix_point(self, row: Port | Bus) -> None:
        port = row if isinstance(row, Port) else None
        unit = UNITS[port.domain] if port else self.inside
        for side in sides(row.stereo):
            base = f"{self.device.id}.{row.id}{side}"
            label = f"{self.name}, {row.name}{_side_word(side)}"
            ceiling = self._port_ceiling(port) if port else self._inside_ceiling(row.name)
            self._add(base, label, unit, ceiling)
            residual_at = base
            if row.strip:
                mix = self._add(
                    f"{base}:mix", f"{label}, before its fader", self.inside, self._inside_ceiling(row.name)
                )
                self._fader(mix, base, row.id, row.name, row.strip)
                residual_at = mix
            if self.kind.residual_dbu is not None and (row.strip or not port):
                noise = Derived(f"{self.name}, {row.name}, mixing", self.kind.residual_dbu, "dBu", source="device data")
                self.draft.white_noise(residual_at, "preamp", noise)
            digitised = unit == "dBFS" and any(row.domain == "acoustic" for row in self.kind.inputs)
            if port and (digitised or {unit, self.inside} == {"dBu", "dBFS"}):
                self._converter_noise(base, unit, port)

    # internal paths

    def _path(self, path: Path) -> None:
        source_port = self.kind.port(path.source)
        source_row = source_port or _bus(self.kind, path.source)
        target_port = self.kind.port(path.target)
        target_row = target_port or _bus(self.kind, path.target)
        setting = self.setting(path.key)
        common, knobs = self._path_gain(path, setting)
        controls = []
        for control in self.kind.controls:
            if path.key in control.moves:
                given = self.setting(control.id).gain_db
                value = control.default_gain_db if given is None else given
                common.append(_set_gain(control.name, value, self._origin(given, control.gain_db)))
                knobs.append(
                    Knob(
                        self.ref(control.id, "gain_db"),
                        f"{self.name}, {control.name}",
                        value,
                        *control.gain_db,
                        1.0,
                    )
                )
                controls.append(control.name)
        switches: tuple[Switch, ...] = ()
        label = path.name or f"{source_row.name} to {target_row.name}"
        if path.switch:
            now = path.on if setting.on is None else setting.on
            switches = (Switch(self.ref(path.key, "on"), f"{self.name}, {label}", True, now),)
        keys, dims = self._keys(path, common)
        switches += keys
        for from_side, to_side, spread in self._spread(path, source_row, target_row):
            source = self._source_node(path, source_port, setting, from_side)
            target = f"{self.device.id}.{path.target}{to_side}"
            target = f"{target}:mix" if f"{target}:mix" in self.draft.index else target
            source_unit = self.draft.nodes[self.draft.index[source]].unit
            target_unit = self.draft.nodes[self.draft.index[target]].unit
            parts = (
                *common,
                *self._conversion(source_unit, target_unit, target_port or source_port),
                *spread,
            )
            dead = self.broken or ("panned to the other side" if any(math.isinf(part.value) for part in spread) else "")
            self.draft.join(
                source,
                target,
                tuple(part for part in parts if not math.isinf(part.value)),
                delays=self._delays(path, path.name or f"to {target_row.name}"),
                switches=switches,
                knobs=tuple(knobs),
                controls=tuple(controls),
                dims=dims,
                broken=dead,
                label=label,
            )

    def _keys(self, path: Path, parts: list[Derived]) -> tuple[tuple[Switch, ...], tuple[Dim, ...]]:
        """The keys that close, open or dim a path; one that dims it now adds its depth to the parts of its gain."""
        switches: list[Switch] = []
        dims: list[Dim] = []
        for key in self.kind.keys:
            if path.key not in (*key.closes, *key.opens, *key.dims):
                continue
            given = self.setting(key.id).on
            down = key.on if given is None else given
            ref, label = self.ref(key.id, "on"), f"{self.name}, {key.name}"
            if path.key in key.dims:
                dims.append(Dim(ref, key.dims_db, down))
                if down:
                    parts.append(
                        Derived(f"dimmed by {key.name}", -key.dims_db, "dB", source=f"device data: {self.kind.name}")
                    )
            else:
                switches.append(Switch(ref, label, path.key in key.closes, down, key=True))
        return tuple(switches), tuple(dims)

    def _path_gain(self, path: Path, setting: Setting) -> tuple[list[Derived], list[Knob]]:
        mic = self.kind.microphone
        if mic is not None:
            step = dbv_to_dbu(mic.sensitivity_dbv_pa) - PASCAL_DB_SPL
            level = f"{dbv_to_dbu(mic.sensitivity_dbv_pa):.1f}".replace("-", "\u2212")
            text = f"{self.name}, {level} dBu/Pa less 94.0"
            own = Derived(text, step, "dB", source=f"device data; 1 Pa is 94 dB SPL: {self.kind.name}")
            gain, knobs = self._own_gain(path, setting)
            return [own, *gain], knobs
        if isinstance(path.gain_db, tuple):
            return self._own_gain(path, setting)
        if path.gain_db:
            name = path.name or self._ends(path)
            return [Derived(f"{self.name}, {name}", path.gain_db, "dB", source=f"device data: {self.kind.name}")], []
        return [], []

    def _own_gain(self, path: Path, setting: Setting) -> tuple[list[Derived], list[Knob]]:
        """The knob of a path whose gain can be set; nothing for any other."""
        if not isinstance(path.gain_db, tuple):
            return [], []
        default = path.default_gain_db if path.default_gain_db is not None else path.gain_db[1]
        value = default if setting.gain_db is None else setting.gain_db
        name = path.name or self._ends(path)
        low, high = path.gain_db
        knob = Knob(
            self.ref(path.key, "gain_db"),
            f"{self.name}, {name}",
            value,
            low,
            high,
            1.0,
            self.kind.microphone is not None,
        )
        return [_set_gain(name, value, self._origin(setting.gain_db, path.gain_db))], [knob]

    def _ends(self, path: Path) -> str:
        """A path by the names of its two ends: `channel 5 to send 1`."""
        rows = (self.kind.port(end) or _bus(self.kind, end) for end in (path.source, path.target))
        return " to ".join(row.name for row in rows)

    def _source_node(self, path: Path, port: Port | None, setting: Setting, side: str) -> str:
        base = f"{self.device.id}.{path.source}{side}"
        if port is None:
            return base
        tap = setting.tap or (path.tap[0] if path.tap else "pre")
        node = f"{base}:{tap}"
        if node in self.draft.index:
            return node
        return f"{base}:pre" if f"{base}:pre" in self.draft.index else base

    def _spread(self, path: Path, source: Port | Bus, target: Port | Bus) -> list[tuple[str, str, tuple[Derived, ...]]]:
        """Which sides go to which, with what a pan pot or a mono sum does to them."""
        if source.stereo and target.stereo:
            return [(".l", ".l", ()), (".r", ".r", ())]
        if source.stereo:
            half = Derived("mono sum, each side", -20 * math.log10(2), "dB", source="two sides at half")
            return [(".l", "", (half,)), (".r", "", (half,))]
        if not target.stereo:
            return [("", "", ())]
        strip = source.strip if isinstance(source, Port) else None
        if strip is None or not strip.pan:
            return [("", ".l", ()), ("", ".r", ())]
        pan = self.setting(path.source).pan or 0.0
        angle = (pan + 1) * math.pi / 4
        out: list[tuple[str, str, tuple[Derived, ...]]] = []
        for side, part in ((".l", math.cos(angle)), (".r", math.sin(angle))):
            level = 20 * math.log10(part) if part > 1e-9 else -math.inf
            where = "centre" if pan == 0 else f"{abs(pan):.0%} {'left' if pan < 0 else 'right'}"
            out.append(("", side, (Derived(f"pan, {where}", level, "dB", source="constant-power law"),)))
        return out

    def _delays(self, path: Path, label: str) -> tuple[Derived, ...]:
        delays = []
        if path.delay_ms:
            delays.append(
                Derived(f"{self.name}, {label}", path.delay_ms, "ms", source=f"device data: {self.kind.name}")
            )
        if path.buffers:
            rate = self.draft.show.sample_rate_hz
            one = buffer_ms(self.samples, rate)
            count = "buffer" if path.buffers == 1 else f"{path.buffers} buffers"
            formula = f"{path.buffers} \u00d7 {self.samples} / {rate / 1000:g} kHz"
            name = f"{self.name}, {count} of {self.samples} samples"
            delays.append(Derived(name, path.buffers * one, "ms", formula, source="buffer length over sample rate"))
        return tuple(delays)


def _set_gain(name: str, value: float, source: str) -> Derived:
    return Derived(name, value, "dB", source=source)


def _bus(kind: Kind, bus_id: str) -> Bus:
    return next(bus for bus in kind.buses if bus.id == bus_id)


def _side_word(side: str) -> str:
    return {".l": ", left", ".r": ", right"}.get(side, "")
