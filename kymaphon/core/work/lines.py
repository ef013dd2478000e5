"""Lines out: what each carries, at what level and how late, what the far end said, and the reserve as a plan."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, total
from kymaphon.core.model.edits import Edit, Plug, SetField, Unplug, apply_all
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable
from kymaphon.core.model.talk import Line
from kymaphon.core.talk.keys import port_words


@dataclass(frozen=True, slots=True)
class LineState:
    """A line as the rig feeds it.

    Attributes:
        source: the socket that feeds it, by its reference; empty where nothing does. `source_words` its name.
        voices: (name, level in the unit of the socket) of who is on it, the loudest first.
        unit: of those levels.
        off_db: the loudest voice against the level that is agreed; None where none is, or nobody comes.
        lost_db: tone as the far end read it against what was sent; None where it was not read.
        listeners: names of those who hear by it.
    """

    line: Line
    source: str
    source_words: str
    voices: tuple[tuple[str, float], ...]
    unit: str
    off_db: Derived | None
    lost_db: Derived | None
    listeners: tuple[str, ...]

    @property
    def fed(self) -> bool:
        return bool(self.source)


def line_states(analysis: Computed) -> tuple[LineState, ...]:
    """Every line of the show, in its order; one that begins nowhere is fed by nothing."""
    return tuple(_state(analysis, line) for line in analysis.show.lines)


def _state(analysis: Computed, line: Line) -> LineState:
    graph = analysis.graph
    source = next((row.source for row in analysis.show.cables if row.target_socket == PortId.of(line.at).socket), "")
    node = next((graph.index[name] for name in (line.at, f"{line.at}.l") if name in graph.index), None)
    rows: list[tuple[str, float]] = []
    unit = graph.nodes[node].unit if node is not None else "dBu"
    if node is not None and source:
        for name in graph.mouths:
            ladder = analysis.ladder_to_node(name, graph.nodes[node].id)
            if ladder is not None and analysis.show.party(name).kind != "crew":
                rows.append((analysis.party_name(name), ladder.last.speech_db))
    rows.sort(key=lambda row: -row[1])
    off = None
    if line.level_dbu is not None and rows and unit == "dBu":
        off = total(
            "against the level agreed",
            "dB",
            (
                Derived(f"{rows[0][0]} at {port_words(analysis, line.at)}", rows[0][1], "dBu", source="ladder"),
                Derived("less the level agreed", -line.level_dbu, "dB", source=f"line {line.number or line.id}"),
            ),
        )
    lost = None
    if line.level_dbu is not None and line.received_dbu is not None:
        lost = total(
            "tone at the far end against what was sent",
            "dB",
            (
                Derived("read at the far end", line.received_dbu, "dBu", source="the far end's reading"),
                Derived("less sent", -line.level_dbu, "dB", source="line-up level agreed"),
            ),
        )
    device = PortId.of(line.at).device
    hearers = tuple(row.name for row in analysis.show.parties if row.listens and row.hears_device == device)
    return LineState(
        line, source, port_words(analysis, source) if source else "", tuple(rows), unit, off, lost, hearers
    )


def reserve_of(analysis: Computed, line: str) -> Line | None:
    """The line that stands in for one; None where none does."""
    return next((row for row in analysis.show.lines if row.reserve_for == line), None)


def switch_to_reserve(analysis: Computed, line_id: str) -> Remedy | None:
    """Switching a line to its reserve as a plan: the plug goes over, and who heard by it hears by the other; tried. None where it has no
    reserve, or nothing feeds it.

    Raises:
        KeyError: there is no such line.
    """
    show = analysis.show
    main = next((row for row in show.lines if row.id == line_id), None)
    if main is None:
        raise KeyError(line_id)
    reserve = reserve_of(analysis, line_id)
    cable = next((row for row in show.cables if row.target == main.at), None)
    if reserve is None or cable is None:
        return None
    fed = any(row.target == reserve.at for row in show.cables)
    edits: list[Edit] = []
    if not fed:
        edits.append(Unplug(cable.source, cable.target))
        edits.append(
            Plug(Cable(source=cable.source, target=reserve.at, length_m=cable.length_m, adapter=cable.adapter))
        )
    old, new = PortId.of(main.at).device, PortId.of(reserve.at).device
    kind = analysis.catalogue[show.device(new).kind]
    ear = next((row.id for row in kind.outputs if row.ear), None)
    for party in show.parties:
        if party.hears_device == old and ear is not None:
            edits.append(SetField("parties", party.id, "hears_on", new))
    after = without_rules(apply_all(show, tuple(edits)), analysis.catalogue)
    kept = sum(
        feed.path is not None and after.feeds[key].path is not None
        for key, feed in analysis.feeds.items()
        if analysis.show.party(feed.listener).hears_device == old and feed.want == "hear"
    )
    later = (reserve.delay_ms or 0.0) - (main.delay_ms or 0.0)
    known = main.delay_ms is not None and reserve.delay_ms is not None
    late = f" It is {abs(later):.0f} ms {'later' if later >= 0 else 'earlier'}." if known else ""
    name = reserve.called
    return Remedy(
        f"reserve-{line_id}",
        f"Over to {name}",
        f"{'Both are fed: only who listens changes' if fed else 'One plug goes over'}; {kept} of the wanted voices come by it as before.{late}",
        tuple(edits),
    )


def jackfield(analysis: Computed) -> tuple[tuple[str, str, str, str, str], ...]:
    """The jackfield list: jack, number, name, what feeds it, what it stands in for; by jack."""
    names = {row.id: row.called for row in analysis.show.lines}
    rows = []
    for state in line_states(analysis):
        line = state.line
        main = names.get(line.reserve_for or "", line.reserve_for or "")
        rows.append((line.jack, line.number, line.called, state.source_words, main))
    return tuple(sorted(rows))
