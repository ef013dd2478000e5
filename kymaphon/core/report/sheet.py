"""What the rig sheet says: neutral sections and tables, made once, printed as a page or a list by `files`."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.analysis.offers import first_offer
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import in_sentence, show_number
from kymaphon.core.dynamics.chain import words_of
from kymaphon.core.graph.ladder import NOISE_NAMES
from kymaphon.core.graph.routing import Delivery
from kymaphon.core.levels.lineup.expected import figure_on
from kymaphon.core.levels.lineup.run import last_readings
from kymaphon.core.levels.lineup.tone import tone_along
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.scales import scales
from kymaphon.core.model.show import Setting
from kymaphon.core.model.stages import Severity
from kymaphon.core.report.before_air import before_air
from kymaphon.core.wiring.controls import reaches
from kymaphon.core.wiring.patching import COLUMNS, patch_rows
from kymaphon.core.wiring.pull import pull_list

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


@dataclass(frozen=True, slots=True)
class Sheet:
    """A rig sheet."""

    title: str
    subtitle: str
    summary: str
    tables: tuple[Table, ...]
    cautions: tuple[str, ...]


def rig_sheet(analysis: Report) -> Sheet:
    """The whole sheet of a show: findings, patch list, settings, who hears whom, ladders."""
    show = analysis.show
    counts = analysis.counts()
    summary = f"{counts['stop']} to stop for, {counts['fix']} to fix"
    mark = analysis.mark
    summary += (
        f", {counts['note']} to note. Marks: {in_sentence(mark.name)}, average {show_number(mark.average, mark.unit)}."
    )
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
        _feeds(analysis),
        tracks_table(analysis),
    ]
    tables.extend(_ladders(analysis))
    tables.extend(_tone(analysis))
    subtitle = show.subtitle
    if show.air_at is not None:
        subtitle = f"{subtitle}{', ' if subtitle else ''}on air {show.air_at:%Y-%m-%d %H:%M %Z}"
    return Sheet(show.title, subtitle, summary, tuple(table for table in tables if table.rows), CAUTIONS)


def _findings(analysis: Report) -> Table:
    rows = tuple(
        (SEVERITY_WORDS[row.severity], row.message, remedy.label if remedy is not None else "\u2013")
        for row, remedy in ((finding, first_offer(analysis, finding)) for finding in analysis.findings)
    )
    return Table("What is wrong, and what to do", ("", "What", "Do"), rows)


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


def _feeds(analysis: Report) -> Table:
    voices = analysis.voices
    rows = [
        (listener.name, *(feed_words(analysis.feeds[listener.id, voice.id]) for voice in voices))
        for listener in analysis.listeners
    ]
    note = "Level against the listener's mark, and delay along the strongest way."
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
