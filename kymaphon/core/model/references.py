"""Whether a show's names lead anywhere: ids, kinds, ports, settings. Says the place in the file and what
would be right.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from kymaphon.core.model.catalogue import Bus, Catalogue, Kind, Port
from kymaphon.core.model.connectors import adapters
from kymaphon.core.model.ids import NodeId, PortId
from kymaphon.core.model.practice import practices
from kymaphon.core.model.scales import SOUND, scales
from kymaphon.core.model.show import Setting, Show, same_socket

STRIP_FIELDS = {"gain_db", "pad", "phantom", "hi_z", "fader_db", "mute", "pan", "chain"}
SINGLE = "single"
"""The setting of a player that runs on, by which it is armed for one piece at a time."""
PATH_FIELDS = {"on", "gain_db", "tap"}


class ShowProblem(ValueError):
    """A show that cannot be used. `where` is the place in the file, `what` says what is wrong and what
    would be right.
    """

    def __init__(self, where: str, what: str) -> None:
        super().__init__(f"{where}: {what}" if where else what)
        self.where = where
        self.what = what


def check_references(show: Show, catalogue: Catalogue) -> None:
    """Nothing when every reference holds.

    Raises:
        ShowProblem: the first that does not, with the number of the others.
    """
    problems = list(reference_problems(show, catalogue))
    if problems:
        first = problems[0]
        more = f" (and {len(problems) - 1} more like it)" if len(problems) > 1 else ""
        raise ShowProblem(first.where, first.what + more)


def reference_problems(show: Show, catalogue: Catalogue) -> Iterator[ShowProblem]:
    """Every reference that does not hold, in the order of the file."""
    catalogue = catalogue.with_kinds(*show.kinds)
    yield from _duplicate_ids(show)
    known_practices = practices(show.practices)
    if show.practice in known_practices and known_practices[show.practice].scale == SOUND:
        yield ShowProblem("practice", f"{show.practice} is for a room with loudspeakers: set it as a mark at room")
    if show.practice not in known_practices:
        yield ShowProblem("practice", f"unknown practice {show.practice}; known: {', '.join(known_practices)}")
    for i, mark in enumerate(show.marks):
        yield from _named(f"marks[{i}].practice", mark.practice, set(known_practices), "practice")
        yield from _point(f"marks[{i}].at", mark.at, show, catalogue)
        practice = known_practices.get(mark.practice)
        if practice is not None and (mark.at == "room") != (practice.scale == SOUND):
            yield ShowProblem(
                f"marks[{i}].practice",
                f"a room with loudspeakers is judged in dB SPL, and everything else is not; {practice.name} is read on a "
                f"{scales()[practice.scale].name.lower()}",
            )
    places = {place.id for place in show.places}
    devices = {device.id: device for device in show.devices}
    parties = {party.id for party in show.parties}
    known = {device.id: catalogue[device.kind] for device in show.devices if device.kind in catalogue}
    for i, party in enumerate(show.parties):
        where = f"parties[{i}] ({party.id})"
        yield from _named(f"{where}.place", party.place, places, "place")
        for field in ("hears_on", "plays_on"):
            reference = getattr(party, field)
            if reference:
                yield from _listening(f"{where}.{field}", reference, known, devices.keys(), field)
    for i, device in enumerate(show.devices):
        where = f"devices[{i}] ({device.id})"
        yield from _named(f"{where}.kind", device.kind, {kind.id for kind in catalogue}, "kind of device")
        yield from _named(f"{where}.place", device.place, places, "place")
        yield from _named(f"{where}.party", device.party, parties, "party")
        yield from _named(f"{where}.host", device.host, set(devices), "device")
        if device.host == device.id:
            yield ShowProblem(f"{where}.host", "a device cannot hang on itself")
        if device.id in known:
            feeds = known[device.id].power
            if device.power is not None and (feeds is None or device.power not in feeds.by):
                ways = ", ".join(feeds.by) if feeds else "nothing"
                yield ShowProblem(f"{where}.power", f"{known[device.id].name} runs from {ways}")
            yield from settings_problems(where, device.settings, known[device.id])
    taken: dict[str, int] = {}
    for i, cable in enumerate(show.cables):
        yield from _cable(i, cable.source, cable.target, known, devices.keys(), taken)
        yield from _named(f"cables[{i}].adapter", cable.adapter, set(adapters()), "adapter")
    wanted: set[tuple[str, str]] = set()
    for i, want in enumerate(show.wants):
        yield from _named(f"wants[{i}].listener", want.listener, parties, "party")
        yield from _named(f"wants[{i}].voice", want.voice, parties, "party")
        if (want.listener, want.voice) in wanted:
            yield ShowProblem(f"wants[{i}]", f"{want.listener} and {want.voice} are listed twice")
        wanted.add((want.listener, want.voice))
    for i, take in enumerate(show.takes):
        yield from _named(f"takes[{i}] ({take.id}).voice", take.voice, parties, "party")
    yield from rundown_problems(show)


def rundown_problems(show: Show) -> Iterator[ShowProblem]:
    """Who is open, who plays and whose topics they are, in each segment."""
    parties = {row.id for row in show.parties}
    speak = {row.id for row in show.parties if row.speaks}
    circuits = {row.id for row in show.circuits}
    for i, segment in enumerate(show.rundown):
        where = f"rundown[{i}] ({segment.id})"
        heard = [(f"{where}.open", name) for name in segment.open]
        heard += [(f"{where}.plays[{n}].party", row.party) for n, row in enumerate(segment.plays)]
        for place, name in heard:
            yield from _named(place, name, parties, "party")
            if name in parties and name not in speak:
                yield ShowProblem(place, f'{name} is never heard: it has no "speaks"')
        for n, topic in enumerate(segment.topics):
            yield from _named(f"{where}.topics[{n}].party", topic.party, parties, "party")
        for name in segment.talkback:
            yield from _named(f"{where}.talkback", name, circuits, "circuit")


def _duplicate_ids(show: Show) -> Iterator[ShowProblem]:
    for name in (
        "kinds",
        "practices",
        "places",
        "parties",
        "devices",
        "tracks",
        "circuits",
        "lines",
        "crew",
        "rundown",
        "takes",
        "tasks",
    ):
        seen: dict[str, int] = {}
        for i, row in enumerate(getattr(show, name)):
            if row.id in seen:
                yield ShowProblem(f"{name}[{i}].id", f"{row.id} is already {name}[{seen[row.id]}]; ids must differ")
            seen.setdefault(row.id, i)
    owners = {device.id for device in show.devices}
    for i, party in enumerate(show.parties):
        if party.id in owners:
            yield ShowProblem(
                f"parties[{i}].id", f"{party.id} is also a device; parties and devices need different ids"
            )


def _point(where: str, at: str, show: Show, catalogue: Catalogue) -> Iterator[ShowProblem]:
    """A sort of point, or a device with one of its sockets or buses; `:pre` and such may follow."""
    from kymaphon.core.model.practice import POINTS

    if at in POINTS:
        return
    device_id, row_id, *_ = NodeId.of(at)
    kinds = {device.id: catalogue[device.kind] for device in show.devices if device.kind in catalogue}
    if row_id in ("ear", "voice") and any(party.id == device_id for party in show.parties):
        return
    if device_id not in kinds:
        yield ShowProblem(where, f"no point called {at}{instead(at, {*POINTS, *kinds})}")
        return
    kind = kinds[device_id]
    rows = {row.id for ports in (kind.inputs, kind.outputs) for row in ports} | {row.id for row in kind.buses}
    if row_id not in rows:
        yield ShowProblem(where, f"{device_id} has no {row_id or 'point of that name'}{instead(row_id, rows)}")


def _named(where: str, name: str | None, known: set[str], what: str) -> Iterator[ShowProblem]:
    if name is not None and name not in known:
        yield ShowProblem(where, f"no {what} called {name}{instead(name, known)}")


def instead(name: str, known: set[str] | list[str]) -> str:
    """What was meant, to be said behind a name that leads nowhere: the nearest that there is, else some of those that there are."""
    from difflib import get_close_matches

    close = get_close_matches(name, sorted(known), n=1)
    if close:
        return f"; did you mean {close[0]}?"
    return f"; there are: {', '.join(sorted(known)[:12])}" if known else "; there are none"


def _listening(
    where: str, reference: str, known: dict[str, Kind], devices: Collection[str], field: str
) -> Iterator[ShowProblem]:
    device_id = PortId.of(reference).device
    port_id = reference[len(device_id) + 1 :]
    if device_id not in known:
        if device_id not in devices:
            yield ShowProblem(where, f"no device called {device_id}{instead(device_id, set(known))}")
        return
    kind = known[device_id]
    if field == "plays_on":
        ports = [port.id for port in (*kind.outputs, *kind.inputs)]
        if port_id not in ports:
            yield ShowProblem(where, f"{device_id} has no port {port_id or '(none given)'}; it has: {', '.join(ports)}")
        return
    ears = [port.id for port in kind.outputs if port.ear]
    if not ears:
        yield ShowProblem(
            where,
            f"nobody can listen on {device_id}: {kind.name} has no ear port; {_where_to_listen(kind)}",
        )
    elif port_id and port_id not in [port.id for port in kind.outputs]:
        yield ShowProblem(where, f"{device_id} has no output {port_id}; to listen on: {', '.join(ears)}")


def _where_to_listen(kind: Kind) -> str:
    """What to write instead of a device that nobody can listen on."""
    if kind.is_call:
        return "who is called hears on a phone, or on headphones of their own: plug its far end in there (docs/format.md, how to write a call)"
    return "who listens to the room, or not at all, leaves hears_on out"


def settings_problems(where: str, settings: dict[str, Setting], kind: Kind) -> Iterator[ShowProblem]:
    """Settings that a kind does not have, or that lie outside their range."""
    rows: list[Port | Bus] = [*kind.inputs, *kind.outputs, *kind.buses]
    strips = {row.id: row.strip for row in rows}
    paths = {path.key: path for path in kind.paths}
    controls = {control.id: control for control in kind.controls}
    keys = {row.id for row in kind.keys}
    switched = {row.id for row in kind.processors if not row.fixed}
    for key, setting in settings.items():
        place = f"{where}.settings.{key}"
        given = {name for name, value in setting if value is not None}
        if key == "buffer" and kind.buffer_samples:
            allowed = {"samples"}
        elif key in paths:
            allowed = PATH_FIELDS
        elif key in controls:
            allowed = {"gain_db"}
        elif key in keys or key in switched or (key == SINGLE and kind.runs_on):
            allowed = {"on"}
        elif key in strips:
            strip = strips[key]
            allowed = STRIP_FIELDS if strip else set()
            if strip is not None and strip.hi_z_ohm is None:
                allowed = STRIP_FIELDS - {"hi_z"}
        else:
            options = sorted({*strips, *paths, *controls, *keys, *switched, *((SINGLE,) if kind.runs_on else ())})
            yield ShowProblem(place, f"{kind.name} has no {key}{instead(key, options)}")
            continue
        for field in sorted(given - allowed):
            yield ShowProblem(f"{place}.{field}", f"{key} of {kind.name} has no {field}")
        value = setting.gain_db
        limits = _limits(key, strips, paths, controls)
        if value is not None and limits is not None and not limits[0] <= value <= limits[1]:
            yield ShowProblem(f"{place}.gain_db", f"{value:g} dB is outside {limits[0]:g} to {limits[1]:g} dB")
        if value is not None and limits is None and "gain_db" in allowed:
            yield ShowProblem(f"{place}.gain_db", f"{key} of {kind.name} has a fixed gain")


def _limits(
    key: str, strips: Mapping[str, object], paths: Mapping[str, object], controls: Mapping[str, object]
) -> tuple[float, float] | None:
    owner = paths.get(key) or controls.get(key) or strips.get(key)
    limits = getattr(owner, "gain_db", None)
    return limits if isinstance(limits, tuple) else None


def _cable(
    i: int, source: str, target: str, known: dict[str, Kind], devices: Collection[str], taken: dict[str, int]
) -> Iterator[ShowProblem]:
    ends = []
    for field, reference, wanted in (("from", source, "output"), ("to", target, "input")):
        device_id, port_id, side = PortId.of(reference)
        where = f"cables[{i}].{field}"
        if device_id not in known:
            if device_id not in devices:
                yield ShowProblem(where, f"no device called {device_id}{instead(device_id, set(known))}")
            return
        kind = known[device_id]
        ports = {port.id: port for port in (kind.outputs if wanted == "output" else kind.inputs)}
        if port_id not in ports:
            other = kind.port(port_id)
            hint = f"; {port_id} is an {'input' if wanted == 'output' else 'output'}" if other else ""
            yield ShowProblem(
                where,
                f"{device_id} has no {wanted} {port_id}{hint}; its {wanted}s: {', '.join(ports) or 'none'}",
            )
            return
        if side and not ports[port_id].stereo:
            yield ShowProblem(where, f"{device_id}.{port_id} is mono and has no side {side}")
            return
        ends.append(ports[port_id])
    out, into = ends
    if "acoustic" in (out.domain, into.domain):
        yield ShowProblem(f"cables[{i}]", f"{source} to {target}: sound needs no cable; place the device instead")
    elif out.domain != into.domain:
        yield ShowProblem(
            f"cables[{i}]", f"{source} is {out.domain} and {target} is {into.domain}: no cable joins them"
        )
    base = PortId.of(target).socket
    if into.mixes:
        same = taken.setdefault(f"{source} > {target}", i)
        if same != i:
            yield ShowProblem(f"cables[{i}]", f"{source} to {target} is cables[{same}] already")
        return
    near = (target, base, f"{base}.l", f"{base}.r")
    before = next((name for name in near if name in taken and same_socket(name, target)), None)
    if before is not None:
        yield ShowProblem(
            f"cables[{i}].to", f"{target} is already taken by cables[{taken[before]}]; one socket, one plug"
        )
    taken.setdefault(target, i)
