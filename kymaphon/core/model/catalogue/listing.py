"""A kind in lines, as somebody who types a show by hand needs it: sockets, settings, ranges and what they stand at as delivered."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.model.catalogue.kind import Kind, Path, Port, Strip


def kind_lines(kind: Kind) -> Iterator[str]:
    """Id, group and name; then every socket, and every setting under the key that a show file has it by."""
    yield f"{kind.id}  ({kind.group})  {kind.name}"
    if kind.about:
        yield f"    {kind.about}"
    for word, ports in (("in", kind.inputs), ("out", kind.outputs)):
        for port in ports:
            yield f"    {word:4}{port.id:16}{_port(port)}"
    for port in kind.inputs:
        if port.strip is not None:
            yield from (f"    set {port.id}.{row}" for row in _strip(port.strip))
    for bus in kind.buses:
        if bus.strip is not None:
            yield from (f"    set {bus.id}.{row}" for row in _strip(bus.strip))
    for path in kind.paths:
        told = _path(path)
        if told:
            yield f'    set "{path.key}": {told}'
    for control in kind.controls:
        yield (
            f"    set {control.id}.gain_db  {_range(control.gain_db)}, as delivered {control.default_gain_db:g} "
            f" ({control.name}: {', '.join(control.moves)})"
        )
    for processor in kind.processors:
        how = "always on" if processor.fixed else f"as delivered {'on' if processor.on else 'off'}"
        yield f"    set {processor.id}.on  {how}  ({processor.name}, in {', '.join(processor.sits)})"


def _range(limits: tuple[float, float]) -> str:
    return f"{limits[0]:g} to {limits[1]:g} dB"


def _port(port: Port) -> str:
    rows = [port.name, port.connector or port.domain, port.level]
    if port.stereo:
        rows.append("stereo")
    if port.ear:
        rows.append("somebody can hear on it (hears_on)")
    return ", ".join(row for row in rows if row)


def _strip(strip: Strip) -> Iterator[str]:
    if strip.gain_db is not None:
        yield f"gain_db  {_range(strip.gain_db)}, as delivered {strip.gain_default_db:g}"
    if strip.pad_db is not None:
        yield f"pad  takes {strip.pad_db:g} dB off, as delivered off"
    if strip.phantom:
        yield "phantom  as delivered off"
    if strip.hi_z_ohm is not None:
        yield "hi_z  for instruments, as delivered off"
    if strip.fader_db is not None:
        yield f"fader_db  {_range(strip.fader_db)}, as delivered {strip.fader_default_db:g}"
    if strip.mute:
        yield "mute  as delivered off"
    if strip.pan:
        yield "pan  -1 (left) to 1 (right), as delivered 0"


def _path(path: Path) -> str:
    rows = []
    if path.switch:
        rows.append(f"on, as delivered {'on' if path.on else 'off'}")
    if isinstance(path.gain_db, tuple):
        rows.append(f"gain_db {_range(path.gain_db)}, as delivered {path.default_gain_db or 0.0:g}")
    if len(path.tap) > 1:
        rows.append(f"tap {' or '.join(path.tap)}, as delivered {path.tap[0]}")
    return "; ".join(rows)
