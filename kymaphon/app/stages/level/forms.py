"""Forms of Level: marks of points, practices of one's own, safety copies. Every one ends in one step of undo."""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.widgets.form import Field, Form
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.louder import Louder, louder
from kymaphon.core.graph.points import base_of
from kymaphon.core.levels.lineup.safety import safety_copy
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.practice import POINTS, PointMark, Practice, practices
from kymaphon.core.model.scales import SOUND, scales
from kymaphon.core.model.show import Show

MOST_LOUDER = 60


class LevelForms:
    """Opens the forms over a window.

    Args:
        say: puts one line into the status line.
    """

    def __init__(self, window: QWidget, document: Document, say: Any) -> None:
        self.window, self.document, self.say = window, document, say

    def louder(self, voice: str) -> None:
        """One voice so much louder or quieter: what that takes and costs, told as it is typed."""
        analysis = self.document.analysis
        voices = tuple((party.id, party.name) for party in analysis.voices)
        if not voices:
            self.say("Nobody is heard yet.")
            return
        known: dict[tuple[str, float], Louder] = {}

        def made(values: dict[str, Any]) -> Louder:
            by = values["by_db"]
            if not 0 < abs(by) <= MOST_LOUDER:
                raise ValueError(f"By: up to {MOST_LOUDER} dB either way, and not 0")
            key = values["voice"], by
            if key not in known:
                known[key] = louder(analysis, *key)
            return known[key]

        def shows(values: dict[str, Any]) -> str:
            """The answer once a worker has it: a large rig takes longer than a key."""
            key = values["voice"], values["by_db"]
            if key in known:
                return known[key].words()
            if not 0 < abs(key[1]) <= MOST_LOUDER:
                return ""
            worker.ask(lambda: louder(analysis, *key), key)
            return "Working it out \u2026"

        def arrived(about: Any, result: object) -> None:
            assert isinstance(result, Louder)
            known[about] = result
            form.follow()

        def take(values: dict[str, Any]) -> None:
            row = made(values)
            if row.remedy is None:
                raise ValueError(row.words())
            self.document.apply(row.remedy.edits, row.remedy.label)
            self.say(f"{row.remedy.label}. Ctrl+Z takes it back.")

        fields = (
            Field(
                "voice", "Voice", "choice", voice or voices[0][0], voices, tip="The first letter of a name chooses it."
            ),
            Field("by_db", "Louder by (dB)", "number", 6.0, tip="Negative: quieter."),
        )
        form = Form("Louder or quieter", fields, take, self.window)
        worker = Worker(form, arrived, lambda error: form.tell(str(error)))
        form.show_effect(shows)
        form.exec()

    def marks(self) -> None:
        """The show's practice, one for each sort of point, and the alignments of the house."""
        show = self.document.show
        known, room = _known(show)
        set_now = {row.at: row.practice for row in show.marks}
        fields = [
            Field(
                "practice",
                "The show",
                "choice",
                show.practice,
                known,
                tip="Where speech should sit wherever nothing else is said.",
            )
        ]
        for at, words in POINTS.items():
            usual = (None, "as the show")
            tip = f"A practice for every {words}."
            there = ((None, "a comfortable level"), *room) if at == "room" else (usual, *known)
            fields.append(Field(at, words[:1].upper() + words[1:], "choice", set_now.get(at), there, tip=tip))
        fields.append(
            Field(
                "vu_zero_dbu",
                "0 VU, dBu",
                "number",
                show.vu_zero_dbu,
                tip="House alignment; +4 dBu is common practice.",
            )
        )
        fields.append(
            Field(
                "line_up_dbfs",
                "0 dBu where no converter says, dBFS",
                "number",
                show.line_up_dbfs,
                tip="EBU R 68: -18; SMPTE RP 155: -20.",
            )
        )

        def take(values: dict[str, Any]) -> None:
            others = tuple(row for row in show.marks if row.at not in POINTS)
            made = tuple(PointMark(at=at, practice=values[at]) for at in POINTS if values[at])
            edits = (
                SetField("show", None, "practice", values["practice"]),
                SetField("show", None, "marks", (*made, *others)),
                SetField("show", None, "vu_zero_dbu", values["vu_zero_dbu"]),
                SetField("show", None, "line_up_dbfs", values["line_up_dbfs"]),
            )
            self.document.apply(edits, "marks of points")

        note = (
            "A mark set for a sort of point goes before that of the show; the ladder then judges the voice there too."
        )
        Form("Marks of points", tuple(fields), take, self.window, note=note).exec()

    def mark_point(self, node: str, name: str) -> None:
        """A practice for one point of the rig, both sides of it; or none of its own."""
        show = self.document.show
        at = base_of(node)
        known, _ = _known(show)
        now = next((row.practice for row in show.marks if row.at in (at, node)), None)

        def take(values: dict[str, Any]) -> None:
            kept = tuple(row for row in show.marks if row.at not in (at, node))
            made = (PointMark(at=at, practice=values["practice"]),) if values["practice"] else ()
            self.document.apply((SetField("show", None, "marks", (*made, *kept)),), f"mark at {name}")

        fields = (Field("practice", "Here", "choice", now, ((None, "as its sort, or the show"), *known)),)
        Form(
            f"Mark at {name}",
            fields,
            take,
            self.window,
            note="The voice is then judged here too, whatever holds elsewhere.",
        ).exec()

    def own_practice(self) -> None:
        """A copy of the practice in force, with figures of one's own."""
        show = self.document.show
        now = practices(show.practices)[show.practice]
        fields = (
            Field(
                "name",
                "Name",
                "text",
                f"{now.name}, own",
                tip="A practice of yours with this name is replaced.",
            ),
            Field("where", "Where", "text", now.where, empty="not said"),
            Field(
                "scale",
                "Read on",
                "choice",
                now.scale,
                tuple((row.id, f"{row.name}, {row.unit}") for row in scales().values()),
            ),
            Field("average", "Average shown", "number", now.average, empty="read at its peaks"),
            Field("tolerance_db", "Give or take, dB", "number", now.tolerance_db),
            Field("peak", "Peaks shown", "number", now.peak, empty="not said"),
            Field(
                "never_over",
                "Never over",
                "number",
                now.never_over,
                empty="not said",
                tip="On a loudness meter in dBTP.",
            ),
            Field("unity", "Faders stay at 0", "check", now.unity),
            Field("mono", "Delivered in mono", "check", now.mono),
            Field(
                "programme",
                "Of all sources together",
                "check",
                now.programme,
                tip="Else of each source by itself.",
            ),
        )

        def take(values: dict[str, Any]) -> None:
            name = values["name"] or "Own"
            made = Practice.model_validate(
                {
                    **values,
                    "name": name,
                    "where": values["where"] or "",
                    "id": _id_of(name),
                    "source": "house rule",
                }
            )
            kept = tuple(row for row in show.practices if row.id != made.id)
            force: Edit = SetField("show", None, "practice", made.id)
            if made.scale == SOUND:
                # A room's loudspeakers have a mark of their own beside the show's.
                marks = tuple(row for row in show.marks if row.at != "room")
                force = SetField("show", None, "marks", (*marks, PointMark(at="room", practice=made.id)))
            self.document.apply((SetField("show", None, "practices", (*kept, made)), force), f"practice: {made.name}")

        note = f"Figures are readings of the meter that is chosen. It goes with the show and is in force at once. Copied from: {now.source}."
        Form("A practice of your own", fields, take, self.window, note=note).exec()

    def safety(self, voice: str) -> None:
        """A safety copy of a voice, or why there is none."""
        if not voice:
            self.say("No voice yet: add a party that speaks.")
            return
        name = self.document.analysis.party_name(voice)
        copy = safety_copy(self.document.analysis, voice)
        if not copy.possible:
            self.say(copy.text)
            return

        def take(values: dict[str, Any]) -> None:
            made = safety_copy(self.document.analysis, voice, values["lowered"])
            if not made.possible:
                raise ValueError(made.text)
            self.document.apply(made.edits, f"safety copy of {name}")
            self.say(made.text)

        fields = (Field("lowered", "Lower by, dB", "number", copy.lowered_db, tip="10 to 20 dB is common practice."),)
        Form(f"Safety copy of {name}", fields, take, self.window, note=copy.text).exec()


def _known(show: Show) -> tuple[tuple[tuple[str, str], ...], tuple[tuple[str, str], ...]]:
    """Practices for points of the rig, and for what a room gets from its loudspeakers: id and name."""
    rows = tuple(practices(show.practices).values())
    return (
        tuple((row.id, row.name) for row in rows if row.scale != SOUND),
        tuple((row.id, row.name) for row in rows if row.scale == SOUND),
    )


def _id_of(name: str) -> str:
    words = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:56]
    return words or "own"
