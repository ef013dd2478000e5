"""The patch list as words: each cable's ends by reference or by name, and the list merged into a show."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from difflib import get_close_matches

from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.connectors import adapters
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.ends import End, end_of, ends_of
from kymaphon.core.model.show import Cable, Show, same_socket
from kymaphon.core.wiring.fit import fit_of
from kymaphon.core.wiring.pull import lead_of

COLUMNS = ("from", "to", "cable", "length_m", "label", "adapter", "from_name", "to_name")
"""`cable`, `from_name` and `to_name` are for people: they are written and not read."""


MOST_HINTS = 50
"""So many unknown names are told with the nearest known one; a list with more is another show's."""


class PatchBook:
    """Finds the ends of a show by reference or by name."""

    def __init__(self, show: Show, catalogue: Catalogue) -> None:
        self.show, self.catalogue = show, catalogue.with_kinds(*show.kinds)
        self._hints = MOST_HINTS
        self.outputs, self.inputs = (self._known(side) for side in ("output", "input"))

    def _known(self, side: str) -> dict[str, End | None]:
        out: dict[str, End | None] = {}
        for end in ends_of(self.show, self.catalogue, "output" if side == "output" else "input"):
            out[end.ref.lower()] = end
            name = end.name.lower()
            out[name] = None if name in out else end  # two of one name: neither is meant
        return out

    def cable(self, cells: Mapping[str, str], number: str | None) -> Cable:
        """The cable of one row.

        Args:
            cells: column -> text.
            number: the length as text that can be read as a number, or None.

        Raises:
            ValueError: an end is missing, unknown or named twice, does not fit at all, or a value is out of range.
        """
        source = self._end(cells.get("from", ""), self.outputs, "from", "output")
        target = self._end(cells.get("to", ""), self.inputs, "to", "input")
        fit = fit_of(source, target)
        if source.port.domain != target.port.domain:
            raise ValueError(fit.faults[0].text.rstrip("."))
        adapter = self._adapter(cells.get("adapter", ""))
        known = next((row for row in self.show.cables if row.ends == (source.ref, target.ref)), None)
        base = known or Cable(source=source.ref, target=target.ref)
        more = {"length_m": number, "label": cells.get("label"), "adapter": adapter}
        return base.with_(**{key: value for key, value in more.items() if value is not None})

    def _end(self, text: str, known: dict[str, End | None], column: str, what: str) -> End:
        if not text:
            raise ValueError(f"{column}: an {what} is needed")
        end = known.get(text.lower())
        if end is not None:
            return end
        if text.lower() in known:
            raise ValueError(f"{column}: more than one {what} is called {text[:60]}; use its device.port")
        self._hints -= 1
        close = get_close_matches(text.lower(), known, n=1) if self._hints >= 0 else []
        hint = f"; did you mean {close[0]}?" if close else ""
        raise ValueError(f"{column}: no {what} called {text[:60]}{hint}")

    @staticmethod
    def _adapter(text: str) -> str | None:
        if not text:
            return None
        for adapter in adapters().values():
            if text.lower() in (adapter.id, adapter.name.lower()):
                return adapter.id
        raise ValueError(f"adapter: none called {text[:60]}; known: {', '.join(adapters())}")


def merged(show: Show, cables: Iterable[Cable], catalogue: Catalogue | None = None) -> SetField:
    """The edit that takes cables over: one into the same input replaces what is there, but where an input mixes (told by the
    catalogue); all others stay.
    """
    rows = list(cables)
    beside = {row.ends: row for row in rows if catalogue is not None and end_of(show, catalogue, row.target).port.mixes}
    fresh = [row for row in rows if row.ends not in beside]
    exact = {row.target: row for row in fresh}
    sides: dict[str, list[str]] = {}
    for row in fresh:
        sides.setdefault(row.target_socket, []).append(row.target)
    kept = []
    for row in show.cables:
        if row.ends in beside:
            kept.append(beside.pop(row.ends))
        elif row.target in exact:
            kept.append(exact.pop(row.target))
        elif not any(same_socket(row.target, name) for name in sides.get(row.target_socket, ())):
            kept.append(row)
    return SetField("show", None, "cables", (*kept, *exact.values(), *beside.values()))


def patch_rows(analysis: Computed) -> list[dict[str, str]]:
    """Every cable by column, as it is written to a list."""
    out = []
    for cable in analysis.show.cables:
        source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
        length = "" if cable.length_m is None else f"{cable.length_m:g}"
        values = (
            cable.source,
            cable.target,
            lead_of(analysis, cable),
            length,
            cable.label,
            cable.adapter or "",
            source.name,
            target.name,
        )
        out.append(dict(zip(COLUMNS, values, strict=True)))
    return out
