"""`kymaphon cast`: every microphone in its place, and the best spot and kind for a party."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kymaphon.cli.answer import Unusable, load, print_json
from kymaphon.core.derive import show_number

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report


def add_cast_options(row: argparse.ArgumentParser) -> None:
    """The options of `cast`."""
    row.add_argument("--place", metavar="ID", help="only this place")
    row.add_argument("--best", metavar="PARTY", help="rank all microphones for a party, each at its best spot")
    row.add_argument(
        "--by",
        choices=("room", "margin"),
        default="room",
        help="with --best: by voice over room, or by how far from howling it is then",
    )


def cast(options: argparse.Namespace) -> int:
    """Prints places, or a ranking; exit 0."""
    from kymaphon.core.report.cast import advice_json, advice_of, place_json, place_lines

    analysis = load(options.show)
    places = [place.id for place in analysis.show.places]
    if options.place is not None and options.place not in places:
        raise Unusable(f"--place {options.place}: no such place; there are: {', '.join(places) or 'none'}")
    if options.by == "margin" and options.best is None:
        raise Unusable("--by margin needs --best, the party whose microphone it is")
    if options.best is not None:
        try:
            if options.by == "margin":
                return _before_howl(analysis, options)
            advice, _ = advice_of(analysis, options.best)
        except KeyError as error:
            names = ", ".join(party.id for party in analysis.show.parties)
            raise Unusable(f"--best {options.best}: no such party; there are: {names or 'none'}") from error
        except ValueError as error:
            raise Unusable(f"--best {error}") from error
        name = analysis.party_name(options.best)
        if options.json:
            print_json(advice_json(advice, options.best, name))
            return 0
        print(advice.sentence(name))
        for rank, row in enumerate(advice.choices, start=1):
            figures = f"{show_number(row.over_room_db, 'dB')} over room, {show_number(row.over_all_db, 'dB')} over all"
            print(f"{rank:3} {row.kind.id:18} {figures}: {row.reason}")
        return 0
    chosen = [options.place] if options.place is not None else places
    if options.json:
        print_json({"places": [place_json(analysis, place) for place in chosen]})
        return 0
    for place in chosen:
        print("\n".join(place_lines(analysis, place)))
    if not chosen:
        print("no places in this show")
    return 0


def _before_howl(analysis: Report, options: argparse.Namespace) -> int:
    """All microphones for a party by how much more there is before it howls.

    Raises:
        KeyError: there is no such party.
    """
    from kymaphon.core.placement.before_howl import before_howl

    found = before_howl(analysis, options.best)
    name = analysis.party_name(options.best)
    if found is None:
        raise Unusable(f"--by margin: no loudspeaker in the room of {name} carries a microphone of theirs")
    rows = found.ranked(analysis.catalogue)
    if options.json:
        ranked = [
            {
                "kind": row.kind.id,
                "at_m": None if row.at is None else list(row.at),
                "distance_m": round(row.metres, 4),
                "before_howl_db": round(row.before_howl_db or 0.0, 4),
                "voice_over_room_db": round(row.over_room_db, 4),
                "reason": row.reason,
            }
            for row in rows
        ]
        print_json({"party": options.best, "by": "margin", "now_db": round(found.now_db, 4), "ranked": ranked})
        return 0
    print(f"{name}: now {show_number(found.now_db, 'dB')} before it howls. With the voice as loud as now:")
    for rank, row in enumerate(rows, start=1):
        print(f"{rank:3} {row.kind.id:18} {show_number(row.before_howl_db or 0.0, 'dB'):>8}  {row.reason}")
    return 0
