"""The picture of the house in docs/structure.md: packages as rooms, drawn from the imports. `python tools/house.py`.

A room stands over every room that it imports. Of the arrows only those are drawn that no longer way stands for (transitive
reduction, Aho, Garey and Ullman 1972).
"""

from __future__ import annotations

import sys
from html import escape
from pathlib import Path

import grimp

ROOT = Path(__file__).parent.parent
PICTURE = ROOT / "docs" / "house.svg"
INNER = ("kymaphon.core", "kymaphon.app")
"""Packages that are drawn by what is in them."""
WIDE, HIGH, GAP, RISE = 150, 46, 26, 92
FOUNDATION = "core foundation"


def room_of(module: str) -> str:
    """The room that a module is in: `core/graph`, `app/stages`, `files`."""
    parts = module.split(".")[1:]
    if not parts:
        return ""
    if f"kymaphon.{parts[0]}" not in INNER or len(parts) == 1:
        return parts[0] if f"kymaphon.{parts[0]}" not in INNER else ""
    inside = (ROOT / "kymaphon" / parts[0] / parts[1]).is_dir()
    if inside:
        return f"{parts[0]}/{parts[1]}"
    return FOUNDATION if parts[0] == "core" else "app shell"


def imports() -> dict[str, set[str]]:
    """Room -> rooms that it imports; what is only imported for types is left out."""
    graph = grimp.build_graph("kymaphon", exclude_type_checking_imports=True, cache_dir=None)
    rooms: dict[str, set[str]] = {}
    for module in sorted(graph.modules):
        here = room_of(module)
        if here:
            found = rooms.setdefault(here, set())
            found |= {room_of(other) for other in graph.find_modules_directly_imported_by(module)} - {
                here,
                "",
            }
    there = {room for room in rooms if lines_in(room)}
    return {room: rooms[room] & there for room in there}


def reached(rooms: dict[str, set[str]], start: str) -> set[str]:
    """All that a room imports, by however many steps."""
    seen: set[str] = set()
    work = list(rooms[start])
    while work:
        room = work.pop()
        if room not in seen:
            seen.add(room)
            work.extend(rooms[room])
    return seen


def floors(rooms: dict[str, set[str]]) -> dict[str, int]:
    """The floor of each room: one over the highest that it imports; rooms that import each other share one."""
    below = {room: reached(rooms, room) for room in rooms}
    floor = dict.fromkeys(rooms, 0)
    for _ in rooms:
        for room in rooms:
            under = [floor[other] + (room not in below[other]) for other in rooms[room]]
            floor[room] = max([floor[room], *under])
    return floor


def lines_in(room: str) -> int:
    """Lines of Python in a room."""
    folder = ROOT / "kymaphon"
    files = (
        list((folder / room.split()[0]).glob("*.py"))
        if room in (FOUNDATION, "app shell")
        else list((folder / room).rglob("*.py"))
    )
    return sum(len(path.read_text(encoding="utf-8").splitlines()) for path in files)


def drawn(rooms: dict[str, set[str]]) -> str:
    """The picture as SVG."""
    floor = floors(rooms)
    below = {room: reached(rooms, room) for room in rooms}
    top = max(floor.values())
    rows = [sorted(room for room in rooms if floor[room] == level) for level in range(top, -1, -1)]
    width = max(len(row) for row in rows) * (WIDE + GAP) + GAP
    at: dict[str, tuple[float, float]] = {}
    for depth, row in enumerate(rows):
        left = (width - len(row) * (WIDE + GAP) + GAP) / 2
        for n, room in enumerate(row):
            at[room] = left + n * (WIDE + GAP), GAP + depth * RISE
    height = GAP * 2 + top * RISE + HIGH
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" font-family="sans-serif" font-size="13">',
        f'<rect width="{width}" height="{height}" fill="#ffffff"/>',
    ]
    for room, others in sorted(rooms.items()):
        # Of rooms that import each other none stands for another's way down.
        through = {other for other in others if room not in below[other]}
        direct = {row for row in others if not any(row in below[other] for other in through - {row})}
        x, y = at[room]
        for other in sorted(direct):
            to_x, to_y = at[other]
            if to_y == y:
                out.append(
                    f'<path d="M{x + WIDE / 2:.0f} {y} Q{(x + to_x + WIDE) / 2:.0f} {y - 24} '
                    f'{to_x + WIDE / 2:.0f} {y}" fill="none" stroke="#8a97a0" stroke-dasharray="4 3"/>'
                )
                continue
            out.append(
                f'<path d="M{x + WIDE / 2:.0f} {y + HIGH} C{x + WIDE / 2:.0f} {y + HIGH + 30} {to_x + WIDE / 2:.0f} {to_y - 30} '
                f'{to_x + WIDE / 2:.0f} {to_y}" fill="none" stroke="#8a97a0" stroke-width="1.2"/>'
            )
    for room, (x, y) in sorted(at.items()):
        out.append(f'<rect x="{x:.0f}" y="{y}" width="{WIDE}" height="{HIGH}" rx="8" fill="#e8eff2" stroke="#3c5563"/>')
        out.append(
            f'<text x="{x + WIDE / 2:.0f}" y="{y + 20}" text-anchor="middle" fill="#10222c">{escape(room)}</text>'
        )
        out.append(
            f'<text x="{x + WIDE / 2:.0f}" y="{y + 37}" text-anchor="middle" fill="#4c616d" font-size="11">{lines_in(room)} lines</text>'
        )
    return "\n".join([*out, "</svg>"]) + "\n"


def main() -> int:
    PICTURE.write_text(drawn(imports()), encoding="utf-8")
    print(f"wrote {PICTURE.relative_to(ROOT)}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
