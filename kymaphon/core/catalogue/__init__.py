"""Generic device kinds as data, and their loader."""

from kymaphon.core.catalogue.kind import Bus, Control, Kind, Path, Port, Strip
from kymaphon.core.catalogue.loader import Catalogue, shipped_catalogue

__all__ = ["Bus", "Catalogue", "Control", "Kind", "Path", "Port", "Strip", "shipped_catalogue"]
