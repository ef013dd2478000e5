"""A graph while it is being built, and the small facts that every part of the building needs."""

from __future__ import annotations

from dataclasses import dataclass, field

from kymaphon.core.derive import Derived, total
from kymaphon.core.graph.signal import Edge, EdgeKind, Node, NoiseKind, NoiseSource
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.scales import Mark, show_mark
from kymaphon.core.model.show import Device, Show
from kymaphon.core.model.weights import weighted_unit, white_a

UNITS = {"acoustic": "dB SPL", "analog": "dBu", "digital": "dBFS"}


@dataclass
class Draft:
    """A graph being built. Local to the building; the finished graph is immutable."""

    show: Show
    catalogue: Catalogue
    nodes: list[Node] = field(default_factory=list)
    edges: list[Edge] = field(default_factory=list)
    noises: list[NoiseSource] = field(default_factory=list)
    index: dict[str, int] = field(default_factory=dict)
    unknown: list[str] = field(default_factory=list)
    mouths: dict[str, tuple[int, Derived]] = field(default_factory=dict)
    ears: dict[str, tuple[int, ...]] = field(default_factory=dict)

    def add(self, node: Node) -> int:
        self.index[node.id] = len(self.nodes)
        self.nodes.append(node)
        return len(self.nodes) - 1

    def join(
        self,
        source: str,
        target: str,
        parts: tuple[Derived, ...] = (),
        *,
        kind: EdgeKind = EdgeKind.INSIDE,
        **more: object,
    ) -> None:
        more.setdefault("label", str(kind))
        self.edges.append(Edge(self.index[source], self.index[target], parts, kind=kind, **more))  # type: ignore[arg-type]

    def noise(self, node: str, kind: NoiseKind, level: Derived, flat_db: float) -> None:
        """Noise that enters at a node: A-weighted with its arithmetic, and unweighted."""
        self.noises.append(NoiseSource(self.index[node], kind, level, flat_db))

    def white_noise(self, node: str, kind: NoiseKind, flat: Derived) -> None:
        """White noise that enters at a node, stated unweighted over the bandwidth of noise figures."""
        unit = weighted_unit(flat.unit)
        level = total(f"{flat.name}, A-weighted", unit, (flat, white_a()), source=flat.source)
        self.noise(node, kind, level, flat.value)

    def kind(self, device: Device) -> Kind:
        return self.catalogue[device.kind]

    @property
    def mark(self) -> Mark:
        """The show's practice on its own meter."""
        return show_mark(self.show)


def sides(stereo: bool) -> tuple[str, ...]:
    """Suffixes of the nodes of a mono or stereo point."""
    return (".l", ".r") if stereo else ("",)
