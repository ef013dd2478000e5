"""Plugs, sockets and adapters: which go together, and how many contacts they have."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from kymaphon.core.figures import data_table
from kymaphon.core.model.catalogue import Port


@dataclass(frozen=True, slots=True)
class ConnectorData:
    """A connector: its name in words, its contacts, and the family of those that it mates with."""

    id: str
    name: str
    contacts: int
    family: str


@dataclass(frozen=True, slots=True)
class Adapter:
    """What joins two ends that do not fit.

    Attributes:
        joins: the two families whose plugs it has.
        form: what it changes beyond the plugs: `breakout` (stereo to two mono), `both` (mono to both sides), `headset`.
    """

    id: str
    name: str
    joins: tuple[str, ...] = ()
    form: str = ""


@cache
def connectors() -> dict[str, ConnectorData]:
    """All connectors by id."""
    return {row["id"]: ConnectorData(**row) for row in data_table("connectors")["connectors"]}


@cache
def adapters() -> dict[str, Adapter]:
    """All adapters by id."""
    rows = data_table("connectors")["adapters"]
    return {
        row["id"]: Adapter(row["id"], row["name"], tuple(row.get("joins", ())), row.get("form", "")) for row in rows
    }


@cache
def _mates() -> frozenset[frozenset[str]]:
    return frozenset(frozenset(pair) for pair in data_table("connectors")["mates"])


def mate(first: str, second: str) -> bool:
    """Whether a plug of the one family goes into a socket of the other."""
    return frozenset((first, second)) in _mates()


def family(port: Port) -> str:
    """The family of a port's connector; empty where it is unknown."""
    return connectors()[port.connector].family if port.connector else ""


def adapter_between(first: str, second: str) -> Adapter | None:
    """The adapter whose two plugs fit two families; a combination socket takes either of its own."""
    for one in ("xlr", "jack") if first == "combo" else (first,):
        for other in ("jack", "xlr") if second == "combo" else (second,):
            for adapter in adapters().values():
                if adapter.joins and set(adapter.joins) == {one, other}:
                    return adapter
    return None


def balanced(port: Port) -> bool:
    """Whether a port sends or takes the signal between two wires of equal impedance. Where its kind does not say: by its plug; line
    terminals where a transformer floats between them (the two wires of a line to a studio; common practice).
    """
    if port.balanced is not None:
        return port.balanced
    return port.connector in ("xlr", "combo") or (port.connector == "terminal" and port.isolated)


def one_hole(port: Port) -> bool:
    """Whether both sides of a stereo port share one socket: a three- or four-contact jack that is not balanced. A balanced pair has
    a socket for each side.
    """
    return port.stereo and not port.balanced and port.connector in ("jack-3", "minijack-3", "minijack-4")


def physical(port: Port) -> bool:
    """Whether something of metal is plugged in here."""
    return port.connector not in ("inside", "radio", None) and port.domain != "acoustic"
