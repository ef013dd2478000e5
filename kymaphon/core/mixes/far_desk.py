"""What the far end's desk sends back, and what to ask for there: nothing here can be switched that cures it."""

from __future__ import annotations

from collections.abc import Sequence

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.mixes.mixer import mixers_of
from kymaphon.core.model.edits import AddRow
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.show import Device, Show
from kymaphon.core.model.talk import Task


def far_desks(analysis: Computed) -> dict[str, Device]:
    """Id -> mixer in a place where only remote parties are: somebody else's to switch."""
    here = {row.place for row in analysis.show.parties if row.place is not None and row.kind != "remote"}
    away = {row.place for row in analysis.show.parties if row.kind == "remote" and row.place is not None}
    return {
        row.id: row
        for row in mixers_of(analysis.show, analysis.catalogue)
        if row.place in away and row.place not in here
    }


def far_end(analysis: Computed, ways: Sequence[SignalPath]) -> tuple[str, bool, tuple[Remedy, ...]]:
    """What is said of a return, when the far end's desk has a part in it: on one of these ways, or in a loop that meets them.

    Returns:
        Words for the message; whether it is on the list already; the remedy that puts it there.
    """
    desks = far_desks(analysis)
    if not desks:
        return "", False, ()
    nodes = {node for way in ways for node in way.nodes}
    rounds = [way for way in analysis.circles.paths if not nodes.isdisjoint(way.nodes)]
    for way in (*ways, *rounds):
        owners = [analysis.graph.nodes[node].owner for node in way.nodes]
        desk = next((desks[owner] for owner in owners if owner in desks), None)
        if desk is not None:
            return _asking(analysis, desk, way)
    return "", False, ()


def _task_id(desk: str) -> str:
    return f"ask-{desk}"[:64]


def was_asked(show: Show, desk: str) -> bool:
    """Whether it is on the list that this desk is to send back a mix without us."""
    return any(task.id == _task_id(desk) for task in show.tasks)


def _asking(analysis: Computed, desk: Device, way: SignalPath) -> tuple[str, bool, tuple[Remedy, ...]]:
    name = analysis.device_name(desk.id)
    where = analysis.show.place(desk.place).name if desk.place is not None else "the far end"
    switches = [
        switch.label.removeprefix(f"{name}, ")
        for step in way.steps()
        if analysis.graph.nodes[step.source].owner == desk.id
        for switch in step.switches
        if switch.ref.field != "mute"
    ]
    by = f" ({switches[0]})" if switches else ""
    task = Task(
        id=_task_id(desk.id),
        text=f"Ask {where} for mix-minus: {name} sends us back what we send{by}. What comes to us must be without it; they hear us by another way.",
    )
    if was_asked(analysis.show, desk.id):
        return f" {where} is to be asked, it is on the list; listen for it before the show.", True, ()
    effect = "It is printed on the rig sheet; nothing here can be switched that cures it."
    return (
        f" {task.text}",
        False,
        (Remedy("ask", f"Put it on the list: ask {where}", effect, (AddRow("tasks", task),)),),
    )
