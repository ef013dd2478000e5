"""Generic device kinds as data, and their loader."""

from kymaphon.core.model.catalogue.kind import Bus, Control, Key, Kind, Path, Port, Strip
from kymaphon.core.model.catalogue.loader import Catalogue, shipped_catalogue

__all__ = ["Bus", "Catalogue", "Control", "Key", "Kind", "Path", "Port", "Strip", "shipped_catalogue"]
