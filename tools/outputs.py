"""Everything that the commands print, of the demo and of many shows made from it at random, into a folder.

Run before and after a change that must change nothing, then compare byte for byte:

    python tools/outputs.py BEFORE
    python tools/outputs.py AFTER && diff -r BEFORE AFTER
"""

from __future__ import annotations

import argparse
import contextlib
import io
import os
import random
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

COMMANDS = (
    ("check",),
    ("check", "--json"),
    ("feeds", "--json"),
    ("feeds",),
    ("level", "--json"),
    ("level",),
    ("cast", "--json"),
    ("rig", "--json"),
    ("rig",),
)
ALONE = (("schema",), ("kinds", "--json"))
CHANGES = 6


def run(arguments: tuple[str, ...]) -> str:
    """What a command prints, and how it ends."""
    from kymaphon.cli import main

    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code: object = main(arguments)
        except SystemExit as end:
            code = end.code
    return f"{out.getvalue()}--- {err.getvalue()}--- exit {code}\n"


def changed(show: object, draw: random.Random) -> object:
    """The show after a few changes at random: knobs, switches, cables taken out or put elsewhere, people moved or gone."""
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.core.model.edits import SetField, SetValue, Unplug, apply_all

    for _ in range(draw.randint(1, CHANGES)):
        analysis = analyse(show, remedies=False)  # type: ignore[arg-type]
        knobs = [knob for edge in analysis.graph.edges for knob in edge.knobs]
        switches = [row for edge in analysis.graph.edges for row in edge.switches]
        edits = [SetValue(knob.ref, round(draw.uniform(knob.lowest, knob.highest))) for knob in draw.sample(knobs, 3)]
        edits += [SetValue(row.ref, not row.now) for row in draw.sample(switches, 3)]
        edits += [Unplug(*cable.ends) for cable in draw.sample(analysis.show.cables, 2)]
        spot = round(draw.uniform(0.5, 4), 2), round(draw.uniform(0.5, 3), 2)
        edits += [SetField("parties", row.id, "at_m", spot) for row in analysis.show.parties if row.at_m]
        try:
            show = apply_all(show, (draw.choice(edits),))  # type: ignore[arg-type]
        except (KeyError, ValueError):
            continue  # that knob does not go there: another change instead
    return show


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--shows", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    from kymaphon.files.demo import demo_path
    from kymaphon.files.show_file import read_show, write_show

    with tempfile.TemporaryDirectory() as state:
        os.environ["KYMAPHON_STATE"] = state
        options.folder.mkdir(parents=True, exist_ok=True)
        for words in ALONE:
            (options.folder / f"{' '.join(words)}.txt").write_text(run(words).replace(state, "state"), encoding="utf-8")
        demo = read_show(demo_path())
        for number in range(options.shows + 1):
            show = changed(demo, random.Random(options.seed * 1_000_000 + number)) if number else demo
            path = Path(state) / "show.json"
            write_show(path, show)  # type: ignore[arg-type]
            text = "".join(f"=== {' '.join(words)}\n{run((words[0], str(path), *words[1:]))}" for words in COMMANDS)
            text = text.replace(str(path), "show.json").replace(state, "state")
            (options.folder / f"show {number:03}.txt").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
