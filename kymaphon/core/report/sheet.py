"""What the rig sheet says: neutral sections and tables, made once, printed as a page or a list by `files`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from kymaphon.core.analysis.offers import first_offer
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import in_sentence, show_number
from kymaphon.core.dynamics.chain import words_of
from kymaphon.core.graph.ladder import NOISE_NAMES
from kymaphon.core.graph.routing import Delivery
from kymaphon.core.levels.lineup.expected import figure_on
from kymaphon.core.levels.lineup.run import last_readings
from kymaphon.core.levels.lineup.tone import tone_along
from kymaphon.core.model.clock import zone_of
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.practice import practices
from kymaphon.core.model.scales import scales
from kymaphon.core.model.show import Device, Setting, Show
from kymaphon.core.model.stages import Severity
from kymaphon.core.report.before_air import before_air
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.wiring.controls import reaches
from kymaphon.core.wiring.patching import COLUMNS, patch_rows
from kymaphon.core.wiring.pull import pull_list

if TYPE_CHECKING:
    from kymaphon.core.report.drawing import Drawing

SEVERITY_WORDS = {"stop": "Stop", "fix": "Fix", "note": "Note"}
CAUTIONS = (
    "Start low and mute before you plug: feedback and plugs pulled live hurt ears.",
    "Headphones all day add up: 85 dBA for 8 hours is the usual limit, half the time for every 3 dB more (NIOSH 1998).",
    "Never defeat a protective earth to cure hum. Mains on temporary sites is work for a licensed person, by local codes.",
    "Cables trip people: along walls, over doors, covered or taped where anybody walks; stands weighted.",
)
VERDICT_WORDS = {
    "heard": "heard",
    "local": "local",
    "silent": "\u2013",
    "missing": "missing",
    "quiet": "quiet",
    "loud": "loud",
    "late": "late",
    "back": "own voice back",
    "unwanted": "must not",
    "twice": "twice",
    "free": "heard",
}
_SEVERITY_OF: dict[str, Severity] = {
    "back": "stop",
    "missing": "fix",
    "twice": "fix",
    "unwanted": "fix",
    "late": "fix",
    "loud": "note",
    "quiet": "note",
}
_FIELD_WORDS = {
    "gain_db": "gain",
    "pad": "pad",
    "phantom": "phantom",
    "fader_db": "fader",
    "mute": "mute",
    "pan": "pan",
    "on": "",
    "tap": "tap",
    "samples": "samples",
}


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of words and figures under headings."""

    title: str
    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    note: str = ""

    def parted(self, needs: Sequence[float], width: float) -> list[Table]:
        """Itself where its columns stand beside each other; else in parts that each begin with its first column, so that no word is broken.

        Args:
            needs: so wide each column has to be at the least; `width`: what there is.
        """
        if sum(needs) <= width or len(needs) < 3:
            return [self]
        parts: list[list[int]] = [[]]
        for n in range(1, len(needs)):
            if parts[-1] and needs[0] + sum(needs[k] for k in parts[-1]) + needs[n] > width:
                parts.append([])
            parts[-1].append(n)
        out = []
        for number, columns in enumerate(parts, start=1):
            picked = (0, *columns)
            rows = tuple(tuple(row[k] for k in picked) for row in self.rows)
            title = f"{self.title} ({number} of {len(parts)})"
            note = self.note if number == len(parts) else ""
            out.append(Table(title, tuple(self.headings[k] for k in picked), rows, note))
        return out


@dataclass(frozen=True, slots=True)
class Sheet:
    """A page or more.

    Attributes:
        front: tables of the first page that stand beside each other, before anything else: what somebody needs who walks in now.
        drawings: the plans stand after those, what is drawn across pages comes after the tables.
        sort: what it is, for the foot of each page.
    """

    title: str
    subtitle: str
    summary: str
    tables: tuple[Table, ...]
    cautions: tuple[str, ...]
    front: tuple[Table, ...] = ()
    drawings: tuple[Drawing, ...] = ()
    sort: str = "sheet"


def show_line(show: Show, what: str = "") -> str:
    """What stands under a sheet's title: the show's own subtitle, what the sheet is, when it is on air by the show's clock."""
    air = f"on air {show.air_at.astimezone(zone_of(show)):%Y-%m-%d %H:%M %Z}" if show.air_at is not None else ""
    return ", ".join(filter(None, (show.subtitle, what, air)))


MOST_URGENT = 6
"""So many findings stand on the first page; all of them further on."""


def rig_sheet(analysis: Report) -> Sheet:
    """The whole sheet of a show. First what somebody needs who walks in now: what stops, who is where, what plugs where, marks and plans;
    then the findings, lists, settings, who hears whom and ladders, and the chain drawn across.
    """
    from kymaphon.core.report.drawing import chain_drawings, plan_drawings

    show = analysis.show
    counts = analysis.counts()
    summary = f"{counts['stop']} to stop for, {counts['fix']} to fix, {counts['note']} to note."
    tables = [
        _findings(analysis),
        tasks(analysis),
        line_up_table(analysis),
        placing(analysis),
        patch_list(analysis),
        pull_table(analysis),
        _settings(analysis),
        strips_table(analysis),
        controls_table(analysis),
        feeds_table(analysis),
        tracks_table(analysis),
    ]
    tables.extend(_ladders(analysis))
    tables.extend(_tone(analysis))
    front = (urgent(analysis), who_is_where(analysis), plugs_where(analysis), marks_table(analysis))
    return Sheet(
        show.title,
        show_line(show),
        summary,
        tuple(table for table in tables if table.rows),
        CAUTIONS,
        tuple(table for table in front if table.rows),
        (*plan_drawings(analysis), *chain_drawings(analysis)),
        "rig sheet",
    )


def grouped(findings: Iterable[Finding]) -> list[list[Finding]]:
    """Findings by their cause: of the same sort and urgency they stand together, in the order of the first."""
    out: dict[tuple[str, str], list[Finding]] = {}
    for row in findings:
        out.setdefault((row.code, row.severity), []).append(row)
    return list(out.values())


def _findings(analysis: Report) -> Table:
    """One row for one cause: the first in full, and which others are like it."""
    rows = []
    for same in grouped(analysis.findings):
        text = same[0].message
        if len(same) > 1:
            text += f" Likewise: {'; '.join(row.title for row in same[1:])}."
        labels = [offer.label for offer in (first_offer(analysis, row) for row in same) if offer is not None]
        rows.append((SEVERITY_WORDS[same[0].severity], text, "; ".join(dict.fromkeys(labels)) or "\u2013"))
    return Table("What is wrong, and what to do", ("", "What", "Do"), tuple(rows))


def urgent(analysis: Report) -> Table:
    """What stops, then what is to be fixed, in a few words each."""
    found = grouped(row for row in analysis.findings if row.severity != "note")
    rows = []
    for same in found[:MOST_URGENT]:
        more = f" (and {len(same) - 1} more like it)" if len(same) > 1 else ""
        offer = first_offer(analysis, same[0])
        rows.append(
            (SEVERITY_WORDS[same[0].severity], same[0].title + more, offer.label if offer is not None else "\u2013")
        )
    note = f"And {len(found) - MOST_URGENT} more further on." if len(found) > MOST_URGENT else ""
    return Table("First of all", ("", "What", "Do"), tuple(rows), note)


def who_is_where(analysis: Report) -> Table:
    """Everybody: the place, into what they speak, by which channel, on what they hear."""
    show, channels = analysis.show, analysis.once(channels_of)
    places = {row.id: row.name for row in show.places}
    rows = []
    for party in show.parties:
        if party.kind in ("audience", "recorder"):
            continue
        mics = [
            analysis.device_name(row.id) for row in show.devices if row.party == party.id and not _is_ear(analysis, row)
        ]
        into = ", ".join(mics) or (analysis.device_name(party.plays_device) if party.plays_on else "\u2013")
        numbers = ", ".join(f"{row.number}" for row in channels.of(party.id)) or "\u2013"
        hears = (
            analysis.device_name(party.hears_device) if party.hears_on else "the room" if party.listens else "\u2013"
        )
        rows.append((party.name, places.get(party.place or "", "\u2013"), into, numbers, hears))
    desks = dict.fromkeys(analysis.device_name(row.device) for row in channels.rows)
    note = f"Channels: {', '.join(desks)}." if desks else ""
    return Table("Who is where", ("Who", "Where", "Speaks into", "Ch.", "Hears on"), tuple(rows), note)


def _is_ear(analysis: Report, device: Device) -> bool:
    kind = analysis.catalogue[device.kind]
    return not any(port.domain == "acoustic" for port in kind.inputs)


def plugs_where(analysis: Report) -> Table:
    """Every plug of the desk that the show is run from: socket, and what is in it."""
    show = analysis.show
    desks = list(dict.fromkeys(row.device for row in analysis.once(channels_of).rows))
    rows = []
    for name in desks[:2]:
        device = show.device(name)
        for cable in show.cables:
            for mine, other, way in ((cable.target, cable.source, "in"), (cable.source, cable.target, "out")):
                if PortId.of(mine).device != name:
                    continue
                here = end_of(show, analysis.catalogue, mine)
                there = end_of(show, analysis.catalogue, other)
                label = f" [{cable.label}]" if cable.label else ""
                rows.append((device, way, here, f"{there.name}{label}"))
    order = {name: n for n, name in enumerate(desks)}
    ports = {
        (name, port.id): n
        for name in desks
        for n, port in enumerate(
            (*analysis.catalogue[show.device(name).kind].inputs, *analysis.catalogue[show.device(name).kind].outputs)
        )
    }
    rows.sort(key=lambda row: (order[row[0].id], row[1], ports.get((row[0].id, row[2].port.id), 0)))
    several = len({row[0].id for row in rows}) > 1
    cells = tuple(
        (
            f"{analysis.device_name(device.id)}, " * several
            + here.port.name
            + {"l": ", left", "r": ", right"}.get(here.side, ""),
            way,
            there,
        )
        for device, way, here, there in rows
    )
    title = f"What plugs where: {analysis.device_name(desks[0])}" if len(desks) == 1 else "What plugs where"
    return Table(title, ("Socket", "", "Plug"), cells, "All leads are in the patch list.")


def marks_table(analysis: Report) -> Table:
    """Where speech should sit, and at which points otherwise."""
    show, mark = analysis.show, analysis.mark
    known = practices(show.practices)
    rows = [("Speech", f"{in_sentence(mark.name)}: average {show_number(mark.average, mark.unit)}")]
    rows += [(row.at, in_sentence(known[row.practice].name)) for row in show.marks if row.practice in known]
    rows.append(
        (
            "Line-up",
            f"0 VU is {show_number(show.vu_zero_dbu, 'dBu', sign=True)}; 0 dBu is {show_number(show.line_up_dbfs, 'dBFS')}",
        )
    )
    return Table("Marks", ("At", "Mark"), tuple(rows))


def tasks(analysis: Report) -> Table:
    """What was put on the list: to be ticked before air."""
    done = {task.text for task in analysis.show.tasks if task.done}
    rows = (
        *(("\u2013", text) for text in before_air(analysis)),
        *(("done", task.text) for task in analysis.show.tasks if task.text in done),
    )
    return Table("To do before air", ("", "What"), rows)


def tracks_table(analysis: Report) -> Table:
    """What each recorder track gets, as it was taken over."""
    rows = []
    for row in analysis.show.tracks:
        try:
            source = end_of(analysis.show, analysis.catalogue, row.source).name if row.source else "\u2013"
        except KeyError:
            source = row.source or "\u2013"
        rows.append((row.name or row.id, source))
    return Table("Recorder tracks", ("Track", "Records"), tuple(rows))


def line_up_table(analysis: Report) -> Table:
    """What came of each source at its last line-up, from the log."""
    rows = []
    for entry in last_readings(analysis).values():
        row = entry.line_up
        if row is None:
            continue
        unit = scales()[row.scale].unit
        rows.append(
            (
                analysis.party_name(row.voice),
                figure_on(row.expected, unit),
                figure_on(row.shown, unit),
                show_number(row.off_db, "dB", sign=True),
                show_number(row.turn_db, "dB", sign=True) if row.turned else "\u2013",
                "passed" if row.passed else "not passed",
                f"{entry.at:%Y-%m-%d %H:%M %Z}",
                row.note,
            )
        )
    return Table("Line-up", ("Source", "Expected", "Showed", "Off", "Turned", "", "When", "Note"), tuple(rows))


def placing(analysis: Report) -> Table:
    """Where every microphone stands: to be set up from, with a tape measure."""
    rows = []
    for place in analysis.show.places:
        sound = analysis.sound(place.id)
        for m, mic in enumerate(sound.mics):
            own = int(sound.own[m])
            shield = "" if mic.device.shield == "none" else f", {mic.device.shield}"
            cells = [place.name, mic.name, f"{mic.kind.name}{shield}"]
            if own < 0:
                rows.append((*cells, "\u2013", _spot(mic.at), "\u2013", "\u2013"))
                continue
            source = sound.sources[own]
            metres = show_number(float(sound.distance_m[own, m]), "m")
            if mic.goes_along:
                where = f"worn on the {mic.worn.where}" if mic.worn else "held"
            else:
                where = f"{_spot(mic.at)}, {show_number(float(sound.face_deg[own, m]), '°')} off the face"
            over = show_number(float(sound.voice_over_room[m]), "dB")
            rows.append((*cells, source.name, where, metres, over))
    headings = ("Place", "Microphone", "Kind", "For", "Stands at", "Distance", "Voice over room")
    note = "Positions in metres from the corner at the lower left of the plan."
    return Table("Microphones and where they stand", headings, tuple(rows), note)


def _spot(at: tuple[float, float] | None) -> str:
    return "\u2013" if at is None else f"{at[0]:.2f}, {at[1]:.2f}"


def patch_list(analysis: Report) -> Table:
    """Every cable in words: label, both ends, what it is, how long."""
    rows = [
        (
            row["label"],
            row["from_name"],
            row["to_name"],
            row["cable"],
            f"{row['length_m']} m" if row["length_m"] else "",
        )
        for row in patch_rows(analysis)
    ]
    return Table("Patch list", ("Label", "From", "To", "Cable", "Length"), tuple(rows))


def patch_table(analysis: Report) -> Table:
    """Every cable by the columns of a list that can be read again."""
    rows = tuple(tuple(row[name] for name in COLUMNS) for row in patch_rows(analysis))
    return Table("Patch list", COLUMNS, rows)


def pull_table(analysis: Report) -> Table:
    """What to take out of the store."""
    rows = tuple(
        (row.sort, row.what, f"{row.count}", f"{row.spares}" if row.spares else "\u2013", row.used_for)
        for row in pull_list(analysis)
    )
    note = "Counts have the spares in them: one for each ten of a sort, at least one; a second set of batteries."
    return Table("Pull list", ("Sort", "What", "Take", "of it spare", "For"), rows, note)


def controls_table(analysis: Report) -> Table:
    """What each control really moves, and who hears that."""
    rows = []
    for device in analysis.show.devices:
        for reach in reaches(analysis, device):
            for label, who in reach.paths:
                rows.append((analysis.device_name(device.id), reach.control.name, label, ", ".join(who) or "nobody"))
    return Table("What each control moves", ("Device", "Control", "Moves", "Heard by"), tuple(rows))


def lists(analysis: Report) -> dict[str, Table]:
    """The lists that can be written by themselves, by name."""
    return {"patch": patch_table(analysis), "pull": pull_table(analysis)}


def _settings(analysis: Report) -> Table:
    rows = []
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        labels = {row.id: row.name for rows_ in (kind.inputs, kind.outputs, kind.buses, kind.controls) for row in rows_}
        for key, setting in device.settings.items():
            words = setting_words(setting)
            if words:
                path = kind.path(key)
                where = f"{labels.get(path.source)} to {labels.get(path.target)}" if path else labels.get(key, key)
                rows.append((analysis.device_name(device.id), where, words))
    return Table("Settings", ("Device", "Where", "Stands at"), tuple(rows), "What is not listed stands as delivered.")


def strips_table(analysis: Report) -> Table:
    """What every strip does to its sound, in the order that it does it."""
    rows = []
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        for key, setting in device.settings.items():
            port = kind.port(key)
            node = f"{device.id}.{key}:pre"
            at = analysis.graph.index.get(node, analysis.graph.index.get(f"{device.id}.{key}.l:pre"))
            unit = analysis.graph.nodes[at].unit if at is not None else ""
            for number, row in enumerate(setting.chain or (), start=1):
                rows.append(
                    (
                        analysis.device_name(device.id),
                        port.name if port is not None else key,
                        f"{number}",
                        words_of(row),
                        unit,
                    )
                )
    note = "In this order, behind the gain. Thresholds in the unit of the last column, where a full-scale sine reads its level."
    return Table("Gates and what else strips do", ("Device", "Strip", "", "Stands at", "In"), tuple(rows), note)


def setting_words(setting: Setting) -> str:
    """A setting as a person would note it: `gain +46.0 dB, phantom on`."""
    words = []
    for name, value in setting:
        if value is None or name == "chain":
            # A chain has a table of its own.
            continue
        label = _FIELD_WORDS[name]
        if isinstance(value, bool):
            text = "on" if value else "off"
        elif name.endswith("_db"):
            text = show_number(value, "dB", sign=True)
        elif name == "pan":
            text = "centre" if value == 0 else f"{abs(value):.0%} {'left' if value < 0 else 'right'}"
        else:
            text = f"{value}"
        words.append(f"{label} {text}".strip())
    return ", ".join(words)


def feed_words(feed: Delivery) -> str:
    """A cell of who hears whom in words and figures."""
    if feed.gain_db is None or feed.delay_ms is None:
        return VERDICT_WORDS[feed.verdict]
    figure = feed.gain_words() if feed.howling else f"{feed.gain_words()}, {show_number(feed.delay_ms, 'ms')}"
    if feed.verdict in ("heard", "free"):
        return figure
    return f"{VERDICT_WORDS[feed.verdict]}: {figure}"


def feed_severity(analysis: Report, feed: Delivery) -> Severity | None:
    """How urgent it is that a pair is not as wanted: as the findings about it say, by its verdict where there is none; None where it is
    as it should be.
    """
    if feed.well:
        return None
    about = (row.severity for row in analysis.findings if row.stage == "Feeds" and feed.key in row.pairs)
    nobody_asked = not feed.asked and feed.verdict in ("twice", "unwanted")
    return next(about, "note" if nobody_asked else _SEVERITY_OF.get(feed.verdict))


def feeds_table(analysis: Report) -> Table:
    voices = analysis.voices
    rows = [
        (listener.name, *(feed_words(analysis.feeds[listener.id, voice.id]) for voice in voices))
        for listener in analysis.listeners
    ]
    note = "Level against the listener's mark, and delay along the strongest path."
    return Table("Who hears whom", ("Listener", *(voice.name for voice in voices)), tuple(rows), note)


TONE_METERS = ("vu", "ppm-2a", "desk-peak", "dbfs", "lufs")


def _tone(analysis: Report) -> list[Table]:
    """What the meters along the first voice's way should read of a line-up tone."""
    ladder = next(iter(analysis.ladders.values()), None)
    points = tone_along(analysis, ladder) if ladder is not None else ()
    if ladder is None or not points:
        return []
    rows = [
        (
            point.rung.label,
            show_number(point.level.value, point.rung.unit),
            *(point.readings[name].text() for name in TONE_METERS),
        )
        for point in points
    ]
    note = "A sine of 1 kHz at 0 VU of the house, sent where the channel has line level: what every meter reads when the gains stand as planned."
    headings = ("Point", "Level", *(scales()[name].name for name in TONE_METERS))
    way = f"{analysis.party_name(ladder.voice)} to {analysis.party_name(ladder.target)}"
    return [Table(f"Line-up tone: {way}", headings, tuple(rows), note)]


def _ladders(analysis: Report) -> list[Table]:
    tables, seen = [], set()
    headings = ("Point", "Speech", "Peak", "Noise", "Headroom", "Loudest noise")
    for (voice, end), ladder in analysis.ladders.items():
        if voice in seen:
            continue
        seen.add(voice)
        rows = []
        for rung in ladder.shown():
            headroom = "\u2013" if rung.headroom_db is None else show_number(rung.headroom_db, "dB")
            noise = show_number(rung.noise_total_db, rung.noise_unit) if rung.noise_db else "\u2013"
            rows.append(
                (
                    rung.label,
                    show_number(rung.speech_db, rung.unit),
                    show_number(rung.peak_db, rung.unit),
                    noise,
                    headroom,
                    NOISE_NAMES.get(rung.loudest_noise, "\u2013"),
                )
            )
        tables.append(
            Table(f"Ladder: {analysis.party_name(voice)} to {analysis.party_name(end)}", headings, tuple(rows))
        )
    return tables


def sheet_json(sheet: Sheet) -> dict[str, Any]:
    """Everything that a sheet says, as data."""
    tables = [
        {
            "title": table.title,
            "headings": list(table.headings),
            "rows": [list(row) for row in table.rows],
            "note": table.note,
        }
        for table in (*sheet.front, *sheet.tables)
    ]
    return {
        "sort": sheet.sort,
        "title": sheet.title,
        "subtitle": sheet.subtitle,
        "summary": sheet.summary,
        "tables": tables,
        "drawings": [{"title": row.title, "words": row.words} for row in sheet.drawings],
        "cautions": list(sheet.cautions),
    }
