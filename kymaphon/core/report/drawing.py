"""Pictures of pages as plain shapes in black and grey, for whoever prints them: the chain of the rig, and the plans of its places.

Lengths are in points; y runs down, as on a page.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.acoustics.placements import has_face
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Device, Party, Place
from kymaphon.core.report.chain import Chain, chain_of

Anchor = Literal["start", "middle", "end"]
INK, GREY, PALE = 0.0, 0.45, 0.88
"""Shades: 0 is black."""
WIDEST = 1250.0
"""So wide is a part of the chain at most: printed across a page its words stay readable."""
PLAN = 250.0
LEAST_PLACED = 2
"""A plan of fewer than so many spots says nothing that a table does not."""


@dataclass(frozen=True, slots=True)
class Line:
    """Straight pieces from point to point."""

    points: tuple[tuple[float, float], ...]
    width: float = 0.8
    shade: float = INK
    dashed: bool = False
    closed: bool = False


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle; `fill` None leaves it empty."""

    x: float
    y: float
    width: float
    height: float
    fill: float | None = None
    edge: float = 0.8


@dataclass(frozen=True, slots=True)
class Dot:
    """A disc, or a ring where `fill` is None."""

    x: float
    y: float
    radius: float
    fill: float | None = INK


@dataclass(frozen=True, slots=True)
class Words:
    """Text on one line; `room` is how wide it may become, None for as it is."""

    x: float
    y: float
    text: str
    size: float = 8.0
    anchor: Anchor = "start"
    bold: bool = False
    shade: float = INK
    room: float | None = None


Shape = Line | Box | Dot | Words


@dataclass(frozen=True)
class Drawing:
    """A picture.

    Attributes:
        title: over it; `words` say what is in it to whoever cannot see it.
        across: it is printed across the page.
    """

    title: str
    width: float
    height: float
    shapes: tuple[Shape, ...]
    words: str
    across: bool = False


# the chain


def chain_drawings(analysis: Report) -> tuple[Drawing, ...]:
    """The chain from left to right, in as many parts as it takes for its words to stay readable; a column stands in both parts that it
    joins.
    """
    chain = chain_of(analysis)
    boxes = chain.drawing.boxes
    if not boxes:
        return ()
    edges: dict[int, tuple[float, float]] = {}
    for row in boxes.values():
        left, right = edges.get(row.column, (row.x, row.x + row.width))
        edges[row.column] = min(left, row.x), max(right, row.x + row.width)
    widest = WIDEST
    parts = _column_parts(edges, widest)
    while widest > WIDEST / 2 and len(_column_parts(edges, widest - 50)) == len(parts):
        # As many parts, as even as may be.
        widest -= 50
    parts = _column_parts(edges, widest)
    return tuple(_chain_part(chain, edges, part, n, len(parts)) for n, part in enumerate(parts, start=1))


def _column_parts(edges: dict[int, tuple[float, float]], widest: float) -> list[list[int]]:
    """The columns in parts no wider than that; each begins with the last column of the one before."""
    first, *rest = sorted(edges)
    parts = [[first]]
    for column in rest:
        if edges[column][1] - edges[parts[-1][0]][0] > widest and len(parts[-1]) > 1:
            parts.append([parts[-1][-1]])
        parts[-1].append(column)
    return parts


def _chain_part(
    chain: Chain, edges: dict[int, tuple[float, float]], part: list[int], number: int, count: int
) -> Drawing:
    left, right = edges[part[0]][0] - 30, edges[part[-1]][1] + 30
    there = {row.id for row in chain.boxes if chain.drawing.boxes[row.id].column in part}
    top = min(chain.drawing.boxes[name].y for name in there) - 10
    shapes: list[Shape] = []
    for link, way in zip(chain.links, chain.drawing.ways, strict=True):
        if link.source not in there and link.target not in there:
            continue
        points = tuple((min(max(x, left), right) - left, y - top) for x, y in way)
        shapes.append(Line(points, 1.1, GREY, dashed=bool(link.silence)))
        label = link.cable.label
        if label and link.source in there:
            x, y = points[0]
            shapes.append(Words(x + 4, y - 3, label, 9.0, shade=GREY))
    for row in chain.boxes:
        if row.id not in there:
            continue
        at = chain.drawing.boxes[row.id]
        x, y = at.x - left, at.y - top
        shapes.append(Box(x, y, at.width, at.height, 1.0, 1.4 if row.worst in ("stop", "fix") else 0.8))
        mark = {"stop": "STOP  ", "fix": "FIX  "}.get(row.worst or "", "")
        shapes.append(Words(x + 8, y + 17, f"{mark}{row.name}", 12.5, bold=True, room=at.width - 16))
        shapes.append(Words(x + 8, y + 33, row.note, 10.0, shade=GREY, room=at.width - 16))
        for ports, side in ((row.inputs, "start"), (row.outputs, "end")):
            for port in ports:
                _, py = chain.drawing.ports[row.id, port.ref]
                px = x + 8 if side == "start" else x + at.width - 8
                half = at.width / 2 - 10 if row.inputs and row.outputs else at.width - 16
                shapes.append(Words(px, py - top + 3.5, port.name, 10.0, side, room=half))  # type: ignore[arg-type]
    bottom = max(chain.drawing.boxes[name].y + chain.drawing.boxes[name].height for name in there)
    title = "The chain" if count == 1 else f"The chain, part {number} of {count}"
    links = [row for row in chain.links if row.source in there and row.target in there]
    words = "; ".join(f"{row.cable.source} to {row.cable.target}" for row in links)
    low = max((y for row in shapes if isinstance(row, Line) for _, y in row.points), default=0.0)
    return Drawing(title, right - left, max(bottom - top + 10, low + 10), tuple(shapes), words, across=True)


# plans


def plan_drawings(analysis: Report) -> tuple[Drawing, ...]:
    """A plan of each place where somebody or something stands."""
    rows = (_plan(analysis, place) for place in analysis.show.places)
    return tuple(row for row in rows if row is not None)


def _plan(analysis: Report, place: Place) -> Drawing | None:
    show = analysis.show
    people = [row for row in show.parties if row.place == place.id and row.at_m is not None]
    things = [row for row in show.devices if row.place == place.id and row.at_m is not None and _drawn(analysis, row)]
    if len(people) + len(things) < LEAST_PLACED:
        return None
    spots = [spot for spot in (*(row.at_m for row in people), *(row.at_m for row in things)) if spot is not None]
    width, depth = place.size_m or (max(x for x, _ in spots) + 1.0, max(y for _, y in spots) + 1.0)
    width, depth = max(width, *(x for x, _ in spots)), max(depth, *(y for _, y in spots))
    scale = min(PLAN / width, PLAN * 0.72 / depth)

    def at(spot: tuple[float, float]) -> tuple[float, float]:
        return 12 + spot[0] * scale, 12 + (depth - spot[1]) * scale

    shapes: list[Shape] = [Box(12, 12, width * scale, depth * scale, None, 1.2)]
    shapes += [Line((at(row.from_m), at(row.to_m)), 1.6, GREY) for row in place.surfaces if row.shape == "wall"]
    # No name stands over a spot.
    taken: list[tuple[float, float, float, float]] = []
    for spot in spots:
        x, y = at(spot)
        taken.append((x - 4, y - 4, x + 4, y + 4))
    for party in people:
        assert party.at_m is not None
        x, y = at(party.at_m)
        shapes.append(Dot(x, y, 4.0, INK))
        shapes += _facing(party, x, y)
        shapes.append(_named(taken, x, y, party.name, bold=True))
    for device in things:
        assert device.at_m is not None
        x, y = at(device.at_m)
        mic = any(port.domain == "acoustic" for port in analysis.catalogue[device.kind].inputs)
        shapes.append(Dot(x, y, 2.6, None) if mic else Box(x - 3, y - 3, 6, 6, PALE))
        shapes.append(_named(taken, x, y, analysis.device_name(device.id)))
    metre = scale
    shapes.append(Line(((12, depth * scale + 24), (12 + metre, depth * scale + 24)), 1.4))
    shapes.append(Words(16 + metre, depth * scale + 27, "1 m", 7.0, shade=GREY))
    size = f", {place.size_m[0]:g} \u00d7 {place.size_m[1]:g} m" if place.size_m is not None else ""
    words = "; ".join(f"{row.name} at {row.at_m[0]:.2f}, {row.at_m[1]:.2f}" for row in people if row.at_m is not None)
    return Drawing(f"{place.name}{size}", PLAN + 30, depth * scale + 36, tuple(shapes), words)


def _drawn(analysis: Report, device: Device) -> bool:
    """Microphones, loudspeakers and desks are looked for in a room; leads and boxes between are in the patch list."""
    kind = analysis.catalogue[device.kind]
    sounds = any(port.domain == "acoustic" and not port.ear for port in (*kind.inputs, *kind.outputs))
    return sounds or kind.is_desk or kind.group in ("interface", "host")


def _facing(party: Party, x: float, y: float) -> list[Shape]:
    if party.faces_deg is None or not has_face(party):
        return []
    turn = math.radians(party.faces_deg)
    return [Line(((x, y), (x + 11 * math.cos(turn), y - 11 * math.sin(turn))), 1.4)]


def _named(
    taken: list[tuple[float, float, float, float]], x: float, y: float, name: str, *, bold: bool = False
) -> Words:
    """A name beside its spot, where no other name stands: right of it, left of it, above, below, and further out."""
    size = 7.5
    wide = len(name) * size * 0.52
    tries: list[tuple[float, float, Anchor]] = []
    for out in (0.0, 9.0, 18.0, 27.0, 36.0):
        tries += [
            (x + 6, y + 2.5 - out, "start"),
            (x - 6, y + 2.5 - out, "end"),
            (x + 6, y + 2.5 + out, "start"),
            (x - 6, y + 2.5 + out, "end"),
        ]
    for px, py, anchor in tries:
        left = px if anchor == "start" else px - wide
        box = (left, py - size, left + wide, py + 1)
        inside = left >= 2 and left + wide <= PLAN + 28
        if inside and all(box[2] < a or c < box[0] or box[3] < b or d < box[1] for a, b, c, d in taken):
            taken.append(box)
            return Words(px, py, name, size, anchor, bold)
    return Words(x + 6, y + 2.5, name, size, "start", bold)
