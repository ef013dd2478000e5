"""Settings as plain text: to be carried to any device or program, and read back."""

from __future__ import annotations

from collections.abc import Sequence

from kymaphon.core.model.base import Model
from kymaphon.core.model.processing import NAMES, Chain, Processing

TITLE = "Kymaphon strip settings"
VERSION = 1


class PresetProblem(ValueError):
    """A preset that cannot be read; `line` is from 1."""

    def __init__(self, line: int, text: str) -> None:
        super().__init__(f"line {line}: {text}")
        self.line = line


class _Preset(Model):
    chain: Chain


UNITS = {
    "open_db": "{unit}",
    "close_db": "{unit}",
    "threshold_db": "{unit}",
    "ceiling_db": "{unit}",
    "range_db": "dB",
    "depth_db": "dB",
    "knee_db": "dB",
    "make_up_db": "dB",
    "gain_db": "dB",
    "set_at_gain_db": "dB",
    "attack_ms": "ms",
    "hold_ms": "ms",
    "release_ms": "ms",
    "look_ahead_ms": "ms",
    "detector_ms": "ms",
    "corner_hz": "Hz",
    "centre_hz": "Hz",
    "key_low_hz": "Hz",
    "key_high_hz": "Hz",
    "slope_db_per_octave": "dB/octave",
    "ratio": "to 1",
}
ENDINGS = ("_db_per_octave", "_db", "_ms", "_hz")


def _word(field: str) -> str:
    """A field's name without its unit, which stands behind the value."""
    if field == "detector_ms":
        return "detector window"
    for ending in ENDINGS:
        if field.endswith(ending):
            return field.removesuffix(ending).replace("_", " ")
    return field.replace("_", " ")


def preset_text(chain: Sequence[Processing], *, name: str, at: str, unit: str = "dBFS") -> str:
    """A chain as lines: a heading for each processor, a value with its unit on each line.

    Args:
        name, at: whose it is, and the point of the rig that its thresholds hold at.
        unit: of the thresholds.
    """
    lines = [f"{TITLE} {VERSION}", f"for: {name}", f"at: {at}", f"thresholds in: {unit}"]
    for row in chain:
        lines += ["", f"[{NAMES[row.sort]}]"]
        for field, value in row:
            if field == "bands":
                for number, band in enumerate(value, start=1):
                    lines.append(
                        f"band {number}: {band.shape}, {band.centre_hz:g} Hz, {band.gain_db:g} dB, q {band.q:g}"
                    )
            elif field != "sort" and value is not None:
                lines.append(f"{_word(field)}: {_value(field, value, unit)}")
    return "\n".join(lines) + "\n"


def _value(field: str, value: object, unit: str) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float | int):
        return f"{value:g} {UNITS.get(field, '').format(unit=unit)}".rstrip()
    return str(value)


def read_preset(text: str) -> tuple[tuple[Processing, ...], str]:
    """The chain and the unit of its thresholds.

    Raises:
        PresetProblem: a line that is none of a preset's, or a value out of range.
    """
    import pydantic

    rows: list[dict[str, object]] = []
    places: dict[tuple[object, ...], int] = {}
    unit = "dBFS"
    sorts = {name: sort for sort, name in NAMES.items()}
    lines = text.splitlines()
    if not lines or not lines[0].startswith(TITLE):
        raise PresetProblem(1, f"is no {TITLE}")
    version = lines[0].removeprefix(TITLE).strip()
    if version != str(VERSION):
        raise PresetProblem(1, f"version {version} is not known here; this program reads version {VERSION}")
    for number, line in enumerate(lines[1:], start=2):
        line = line.strip()
        if not line:
            continue
        if line.startswith("[") and line.endswith("]"):
            sort = sorts.get(line[1:-1])
            if sort is None:
                raise PresetProblem(number, f"there is no {line[1:-1]}; there are: {', '.join(sorts)}")
            rows.append({"sort": sort})
            places[len(rows) - 1,] = number
            continue
        word, colon, value = (part.strip() for part in line.partition(":"))
        if not colon:
            raise PresetProblem(number, f"a value is wanted after a colon: {line}")
        if not rows:
            if word == "thresholds in":
                unit = value
            continue
        if word.startswith("band "):
            bands: list[object] = rows[-1].setdefault("bands", [])  # type: ignore[assignment]
            places[len(rows) - 1, "bands", len(bands)] = number
            bands.append(_band(number, value))
        else:
            field, plain = _field(rows[-1]["sort"], word, value, number)
            places[len(rows) - 1, field] = number
            rows[-1][field] = plain
    try:
        return _Preset.model_validate({"chain": rows}).chain, unit
    except pydantic.ValidationError as error:
        first = error.errors()[0]
        raise PresetProblem(_line_of(first["loc"], places), str(first["msg"])) from error


def _line_of(loc: tuple[int | str, ...], places: dict[tuple[object, ...], int]) -> int:
    """The line of the value at fault, or that of its heading: the longest known place on the way to it."""
    row = next((part for part in loc if isinstance(part, int)), 0)
    rest = loc[loc.index(row) + 1 :] if row in loc else ()
    field = next((part for part in rest if (row, part) in places or part == "bands"), "")
    band = next((part for part in rest if isinstance(part, int)), 0)
    return places.get((row, field, band)) or places.get((row, field)) or places.get((row,), 1)


def _band(number: int, value: str) -> dict[str, object]:
    parts = [part.strip() for part in value.split(",")]
    if len(parts) != 4:
        raise PresetProblem(number, "a band is its shape, Hz, dB and q, parted by commas")
    try:
        return {
            "shape": parts[0],
            "centre_hz": float(parts[1].removesuffix("Hz")),
            "gain_db": float(parts[2].removesuffix("dB")),
            "q": float(parts[3].removeprefix("q")),
        }
    except ValueError as error:
        raise PresetProblem(number, f"not a number: {value}") from error


def _field(sort: object, word: str, value: str, number: int) -> tuple[str, object]:
    fields = {_word(name): name for name in _fields(str(sort))}
    if word not in fields:
        raise PresetProblem(number, f"a {NAMES[str(sort)]} has no {word}; it has: {', '.join(fields)}")
    field = fields[word]
    if value in ("yes", "no"):
        return field, value == "yes"
    first = value.split()[0] if value.split() else ""
    try:
        plain: object = float(first)
    except ValueError:
        return field, value
    return field, int(float(first)) if field == "slope_db_per_octave" else plain


def _fields(sort: str) -> tuple[str, ...]:
    from kymaphon.core.model import processing as settings

    models = (
        settings.LowCut,
        settings.Gate,
        settings.Equaliser,
        settings.Compressor,
        settings.Limiter,
        settings.Ducker,
    )
    model = next(row for row in models if row.model_fields["sort"].default == sort)
    return tuple(name for name in model.model_fields if name != "sort")
