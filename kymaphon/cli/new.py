"""`kymaphon new`: a show composed from answers, as the window's first page composes it."""

from __future__ import annotations

import argparse
import re
from typing import TYPE_CHECKING, Any

from kymaphon.cli.answer import Unusable, print_json

if TYPE_CHECKING:
    from kymaphon.core.compose.compose import Composed
    from kymaphon.core.model.answers import Answers

MOST = 99


def add_new_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument("-o", "--output", metavar="SHOW", required=True, help="the show file to write")
    row.add_argument(
        "--start", metavar="ID", help="a starting point: podcast, song, phone-in, band, community, outside"
    )
    row.add_argument("--title", help="what it is called")
    row.add_argument("--room", type=_count, metavar="N", help="people in the room, each at a microphone")
    row.add_argument("--remote", type=_count, metavar="N", help="people far away, by call")
    row.add_argument("--instruments", type=_count, metavar="N", help="instruments, each by a microphone")
    row.add_argument("--player", action="store_true", help="something that plays music")
    row.add_argument("--stream", action="store_true", help="heard by a live stream")
    row.add_argument("--record", choices=("each", "mix"), help="recorded: one track a voice, or the mix")
    row.add_argument("--line", action="store_true", help="a line to a station")
    row.add_argument("--loudspeakers", action="store_true", help="loudspeakers in the room")
    row.add_argument("--size", metavar="WxD", help="the room's width and depth in metres, as 5x4")
    row.add_argument(
        "--have",
        action="append",
        default=[],
        metavar="KIND[*N]",
        help="a kind of device that is there, of the catalogue or the own shelf, and how many; may be given again",
    )


def _count(text: str) -> int:
    try:
        count = int(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no number") from None
    if not 0 <= count <= MOST:
        raise argparse.ArgumentTypeError(f"0 to {MOST}")
    return count


def new(options: argparse.Namespace) -> int:
    """Runs the command; 1 where something is left to stop for, else 0. Raises FileProblem, Unusable."""
    from kymaphon.core.compose.compose import compose
    from kymaphon.core.model.catalogue import shipped_catalogue
    from kymaphon.files.kinds_file import read_shelf
    from kymaphon.files.show_file import write_show

    made = compose(_answers(options), shipped_catalogue().with_kinds(*read_shelf()))
    write_show(options.output, made.show)
    if options.json:
        print_json(_json(made, options.output))
    else:
        _print(made, options.output)
    return int(any(row.severity == "stop" for row in made.report.findings))


def _answers(options: argparse.Namespace) -> Answers:
    from kymaphon.core.compose.starts import starts
    from kymaphon.core.model.answers import Answers, HearerAnswer, RoomAnswer, VoiceAnswer

    known = {row.id: row for row in starts()}
    if options.start is not None and options.start not in known:
        raise Unusable(f"no starting point is called {options.start}; there are {', '.join(known)}")
    answers = known[options.start].answers if options.start else Answers()
    voices = list(answers.voices)
    for given, sort, stem, name in (
        (options.room, "person", "person", "Person"),
        (options.remote, "remote", "guest", "Guest"),
        (options.instruments, "instrument", "instrument", "Instrument"),
    ):
        if given is None:
            continue
        kept = [row for row in voices if row.sort == sort][:given]
        voices = [row for row in voices if row.sort != sort] + kept
        taken = {row.id for row in voices}
        numbers = (n for n in range(1, 2 * MOST + 2) if f"{stem}-{n}" not in taken)
        for n in (next(numbers) for _ in range(given - len(kept))):
            voices.append(VoiceAnswer.model_validate({"id": f"{stem}-{n}", "name": f"{name} {n}", "sort": sort}))
    if options.player and not any(row.sort == "player" for row in voices):
        voices.append(VoiceAnswer(id="player", name="Player", sort="player"))
    hearers = {row.sort: row for row in answers.hearers}
    if options.stream:
        hearers.setdefault("stream", HearerAnswer(sort="stream"))
    if options.record:
        hearers["recording"] = HearerAnswer(sort="recording", each=options.record == "each")
    if options.line:
        hearers.setdefault("line", HearerAnswer(sort="line"))
    if options.loudspeakers:
        hearers.setdefault("loudspeakers", HearerAnswer(sort="loudspeakers"))
    rooms = answers.rooms
    if options.size:
        size = _size(options.size)
        first = rooms[0] if rooms else RoomAnswer(id="room", name="Room")
        rooms = (first.with_(size_m=size), *rooms[1:])
    return answers.with_(
        title=options.title or answers.title,
        voices=tuple(voices),
        hearers=tuple(hearers.values()),
        rooms=rooms,
        have=(*answers.have, *_have(options.have)),
    )


def _size(text: str) -> tuple[float, float]:
    found = re.fullmatch(r"\s*([\d.]+)\s*[x×]\s*([\d.]+)\s*", text)
    try:
        if found is None:
            raise ValueError
        return float(found[1]), float(found[2])
    except ValueError:
        raise Unusable(f"--size {text}: width by depth in metres, as 5x4") from None


def _have(rows: list[str]) -> tuple[Any, ...]:
    from kymaphon.core.model.answers import HaveAnswer

    out = []
    for text in rows:
        kind, _, count = text.partition("*")
        number = int(count) if count.isdigit() else 0 if count else 1
        if not 1 <= number <= MOST or not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_-]{0,63}", kind):
            raise Unusable(f"--have {text}: a kind, and how many of it up to {MOST}, as dynamic-close*2")
        out.append(HaveAnswer(kind=kind, count=number))
    return tuple(out)


def _json(made: Composed, output: str) -> dict[str, Any]:
    counts = {
        severity: sum(row.severity == severity for row in made.report.findings) for severity in ("stop", "fix", "note")
    }
    return {
        "output": output,
        "title": made.show.title,
        "findings": counts,
        "devices": [{"id": row.id, "kind": row.kind, "name": row.name} for row in made.show.devices],
        "to_get": made.to_get,
        "remarks": [row.to_json() for row in made.remarks],
        "steps": [row.text for row in made.steps],
    }


def _print(made: Composed, output: str) -> None:
    kinds = made.report.catalogue
    stop, fix = (sum(row.severity == severity for row in made.report.findings) for severity in ("stop", "fix"))
    for row in made.remarks:
        print(f"{'Left out' if row.left_out else 'Note'}: {row.text}")
    if made.to_get:
        rows = [
            kinds[kind].name if count == 1 else f"{count} \u00d7 {kinds[kind].name}"
            for kind, count in made.to_get.items()
        ]
        print("To get, or to say that it is there: " + ", ".join(rows) + ".")
    for n, step in enumerate(made.steps, 1):
        print(f"{n:3}. {step.text}")
    print(f"{made.show.title}: {stop} to stop for, {fix} to fix; written to {output}")
