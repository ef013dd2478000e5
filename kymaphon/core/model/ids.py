"""The ids of sockets and of points of the rig, taken apart and put together in one place."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

_REMEMBERED = 1 << 14
"""The same few thousand ids of a rig are taken apart over and over."""


class PortId(NamedTuple):
    """A socket of a device, or one side of it: `desk.in1`, `desk.main-out.l`.

    >>> PortId.of("desk.main-out.l")
    PortId(device='desk', port='main-out', side='l')
    >>> PortId.of("desk.main-out.l").socket
    'desk.main-out'
    >>> str(PortId("desk", "in1"))
    'desk.in1'
    """

    device: str
    port: str
    side: str = ""

    @classmethod
    def of(cls, reference: str) -> PortId:
        """The parts of a reference; what is not there is empty, as the port of a device that is named as a whole."""
        return _port(reference)

    @property
    def socket(self) -> str:
        """The whole socket that it is, or is a side of."""
        return f"{self.device}.{self.port}"

    def __str__(self) -> str:
        return ".".join(part for part in self if part)


class NodeId(NamedTuple):
    """A point of the rig: a socket, a side of one, a tap inside a device (`desk.in1:pre`), a mouth or an ear (`mira.mouth`).

    >>> NodeId.of("desk.main.l:mix")
    NodeId(owner='desk', port='main', side='l', tap='mix')
    >>> NodeId.of("desk.main.l:mix").socket
    'desk.main'
    >>> str(NodeId("mira", "mouth"))
    'mira.mouth'
    """

    owner: str
    port: str
    side: str = ""
    tap: str = ""

    @classmethod
    def of(cls, node: str) -> NodeId:
        """The parts of a node's id; what is not there is empty."""
        return _node(node)

    @property
    def socket(self) -> str:
        """The whole socket that it is, is a side of, or lies behind."""
        return f"{self.owner}.{self.port}"

    @property
    def reference(self) -> str:
        """Without its tap."""
        return str(PortId(self.owner, self.port, self.side))

    def __str__(self) -> str:
        return f"{self.reference}:{self.tap}" if self.tap else self.reference


@lru_cache(_REMEMBERED)
def _port(reference: str) -> PortId:
    device, _, rest = reference.partition(".")
    port, _, side = rest.partition(".")
    return PortId(device, port, side)


@lru_cache(_REMEMBERED)
def _node(node: str) -> NodeId:
    base, _, tap = node.partition(":")
    return NodeId(*_port(base), tap)


@dataclass(frozen=True, slots=True)
class SettingRef:
    """One value of one device: `desk`, `in1>send1`, `on`."""

    device: str
    key: str
    field: str
