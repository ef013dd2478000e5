"""What Cast shows, in words and rows: made from the core's figures, no widget and no arithmetic."""

from __future__ import annotations

from PySide6.QtGui import QIcon

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, known
from kymaphon.app.widgets.marks import mark_icon
from kymaphon.app.widgets.plan import PlanContent, Span
from kymaphon.app.widgets.why import Action, WhyContent, findings_about
from kymaphon.core.acoustics.acoustic_path import wind_speed_m_s
from kymaphon.core.acoustics.cast import ENOUGH, PlaceSound, SoundSource
from kymaphon.core.acoustics.room import liveliness_words
from kymaphon.core.acoustics.spots import PlacementMap, bounds_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import MINUS, Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.model.base import Point
from kymaphon.core.model.edits import AddRow
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, Party, Show
from kymaphon.core.model.stages import SEVERITIES
from kymaphon.core.placement.head_turns import turns_of
from kymaphon.core.placement.moves import Placed
from kymaphon.core.placement.placing import MicrophoneChoice
from kymaphon.core.placement.plan import Thing
from kymaphon.core.report import cast_explain as explain

MIC_HEADINGS = (
    "Who",
    "Microphone",
    "Distance",
    "Angle",
    "Voice",
    "Over room",
    "Headroom",
    "Next loudest in it",
)
MIC_HELP = (
    "Whose microphone it is",
    "What kind of microphone it is",
    "From the mouth to the microphone",
    "The mouth off the microphone's axis",
    "Average speech in the microphone, direct and by the room",
    "Direct voice over the noise of the place in this microphone",
    "From the highest peaks to the microphone's maximum level",
    "Who or what else is loudest in it, and how far that lies under the own voice",
)
ELSEWHERE_HEADINGS = ("Who", "Is a", "Is heard", "Hears on", "Level")
ELSEWHERE_HELP = (
    "Name",
    "What kind of party",
    "Where its voice begins",
    "What it listens on",
    "Level of its voice where that begins",
)


def mark(severity: str, theme: Theme) -> QIcon:
    """A severity's shape, or the tick."""
    return mark_icon(severity, theme)


def _worst(rows: list[Finding]) -> str:
    return next((severity for severity in SEVERITIES if any(row.severity == severity for row in rows)), "")


def worst_in_place(analysis: Report, place: str) -> str:
    """The worst severity of Cast's findings in a place, or an empty word."""
    where = place if any(row.id == place for row in analysis.show.places) else None
    here = {place} | {row.id for row in analysis.show.parties if row.place == where}
    if where is not None:
        here |= {row.id for row in analysis.show.devices if row.place == where}
    return _worst([row for row in analysis.findings if row.stage == "Cast" and here & set(row.subjects)])


START = (
    "Begin with a place: a room, a deck, a yard. Its size, its noise and how live it is decide what a microphone hears.",
    "Put into it who and what must be heard, each where they will be and facing where they will face.",
    "Select one of them and press Best places: every microphone is ranked at its best spot. Or add one of your own choice and drag it.",
    "Those without a place, an audience, a recorder, a player, are added with no place, and stand under Elsewhere.",
)


def nothing() -> PlanContent:
    """A plan without a place."""
    return PlanContent()


def place_words(sound: PlaceSound) -> str:
    """A place in one line."""
    place = sound.place
    size = f"{place.size_m[0]:g} by {place.size_m[1]:g} m, " if place.size_m else ""
    air = "open air" if place.outdoors else liveliness_words(place)
    kind = place.noise.replace("-", " ")
    wind = wind_speed_m_s(place)
    gust = f", wind {wind:g} m/s" if wind and place.noise != "wind" else ""
    opened = sum(sound.is_open(m) for m in range(len(sound.mics)))
    mics = f"; {opened} open microphone{'' if opened == 1 else 's'}" if sound.mics else ""
    return f"{size}{air}, {place.ambient_dba:g} dBA of {kind}{gust}{mics}"


def plan_content(
    analysis: Report,
    show: Show,
    sound: PlaceSound,
    things: tuple[Thing, ...],
    key: tuple[str, str],
    mic: int | None,
    found: PlacementMap | None,
    best: Point | None,
) -> PlanContent:
    """The plan of a place with what is selected."""
    place = sound.place
    hues = {voice.id: i for i, voice in enumerate(analysis.voices)}
    notes = {("noise", spot.id): f"{spot.level_dba_1m:g} dBA at 1 m" for spot in place.noises}
    for source in sound.sources:
        if source.device is not None:
            notes["loudspeaker", source.id] = f"{source.level.value:.0f} dB SPL at 1 m"
    shapes: dict[str, tuple[str, bool]] = {row.id: (row.shape, row.finish == "hard") for row in place.surfaces}
    rows = [row for row in analysis.findings if row.stage == "Cast"]
    worst = {}
    for thing in things:
        about = [row for row in rows if thing.id in row.subjects[:2]]
        if (thing.sort == "party" and about) or (thing.sort != "party" and not thing.party and about):
            worst[thing.key] = _worst(about)
    voice = int(sound.own[mic]) if mic is not None and sound.own[mic] >= 0 else None
    if voice is None and key[0] == "party":
        voice = sound.source_index.get(key[1])
    source_at = sound.sources[voice].at if voice is not None else (0.0, 0.0)
    source_id = sound.sources[voice].id if voice is not None else ""
    return PlanContent(
        bounds_of(sound),
        things,
        place.size_m is not None and not place.outdoors,
        hues,
        {party.id: party.kind for party in show.parties},
        notes,
        shapes,
        worst,
        frozenset(row.device.id for i, row in enumerate(sound.mics) if not sound.is_open(i)),
        _spans(rows, sound, mic),
        found,
        hues.get(source_id, 0),
        source_at,
        best,
    )


def _spans(findings: list[Finding], sound: PlaceSound, mic: int | None) -> tuple[Span, ...]:
    """The distance to the own mouth, and a dotted line for every bleed finding about the selected microphone."""
    if mic is None:
        return ()
    stand, own = sound.mics[mic], int(sound.own[mic])
    out: list[Span] = []
    if stand.at is None:
        return ()
    if own >= 0 and not stand.goes_along:
        metres = float(sound.distance_m[own, mic])
        out.append(Span(sound.sources[own].at, stand.at, show_number(metres, "m")))
    for finding in findings:
        if (
            finding.code not in ("three-to-one", "loudspeaker-into-microphone")
            or stand.device.id not in finding.subjects
        ):
            continue
        v = sound.source_index.get(finding.subjects[0])
        if v is not None:
            metres = float(sound.distance_m[v, mic])
            out.append(Span(sound.sources[v].at, stand.at, show_number(metres, "m"), finding.severity))
    return tuple(out)


def microphone_rows(analysis: Report, show: Show, sound: PlaceSound) -> tuple[Row, ...]:
    """One row for each microphone on the plan, then everybody here without one."""
    hues = {voice.id: i for i, voice in enumerate(analysis.voices)}
    findings = [row for row in analysis.findings if row.stage == "Cast"]
    rows: list[Row] = []
    for m, mic in enumerate(sound.mics):
        own = int(sound.own[m])
        device = mic.device.id
        kind = mic.kind.name if sound.is_open(m) else f"{mic.kind.name}, shut"
        if own < 0:
            owner = mic.own.name if mic.own else "nobody"
            rows.append(Row(("microphone", device), (owner, kind, *[DASH] * 6)))
            continue
        source, following = sound.sources[own], sound.next_loudest(m)
        over, head = float(sound.voice_over_room[m]), float(sound.headroom_db[m])
        marks = [
            (7, row.severity)
            for row in findings
            if row.code in ("three-to-one", "loudspeaker-into-microphone") and device in row.subjects[1:2]
        ]
        marks += [
            (2, row.severity)
            for row in findings
            if row.code in ("too-far", "too-near", "same-spot") and device in row.subjects
        ]
        marks += [
            (3, row.severity) for row in findings if row.code in ("off-axis", "head-turn") and device in row.subjects
        ]
        marks += [
            (5, row.severity)
            for row in findings
            if row.code in ("wind-unshielded", "reflection-close") and device in row.subjects
        ]
        if known(head) and head < 0:
            marks.append((6, "stop"))
        cells = (
            source.name,
            kind,
            show_number(float(sound.distance_m[own, m]), "m"),
            "worn" if mic.worn else "held" if mic.goes_along else show_number(float(sound.angle_deg[own, m]), "\u00b0"),
            show_number(float(sound.own_db[m]), "dB SPL"),
            show_number(over, "dB"),
            show_number(head, "dB") if known(head) else DASH,
            f"{sound.sources[following[0]].name} {MINUS if following[1] >= 0 else '+'}{abs(following[1]):.1f} dB"
            if following
            else DASH,
        )
        rows.append(Row(("microphone", device), cells, hues.get(source.id, -1), tuple(marks)))
    covered = {mic.own.id for mic in sound.mics if mic.own is not None}
    for party in show.parties:
        if party.place == sound.place.id and party.id not in covered:
            what = "only hears" if not party.speaks else "no position" if party.at_m is None else "no microphone"
            rows.append(Row(("party", party.id), (party.name, what, *[DASH] * 6), hues.get(party.id, -1)))
    return tuple(rows)


def elsewhere_rows(analysis: Report, show: Show) -> tuple[Row, ...]:
    """Everybody without a place on a plan."""
    hues = {voice.id: i for i, voice in enumerate(analysis.voices)}
    names = {device.id: device.name or analysis.catalogue[device.kind].name for device in show.devices}
    rows = []
    for party in show.parties:
        if party.place is not None:
            continue
        heard = (party.plays_on or "by its microphone") if party.speaks else DASH
        ears = (party.hears_on or "its own ears") if party.listens else DASH
        level = analysis.graph.mouths.get(party.id)
        cells = (
            party.name,
            party.kind,
            _named(heard, names),
            _named(ears, names),
            level[1].text() if level else DASH,
        )
        rows.append(Row(("party", party.id), cells, hues.get(party.id, -1)))
    return tuple(rows)


def _named(reference: str, names: dict[str, str]) -> str:
    """A device or device.port by the device's name."""
    device, port, _ = PortId.of(reference)
    return f"{names[device]}{', ' + port if port else ''}" if device in names else reference


def bleed_rows(analysis: Report, sound: PlaceSound) -> tuple[tuple[str, ...], tuple[str, ...], tuple[Row, ...]]:
    """Headings, their explanations, and one row for each source: its level against each microphone's own voice."""
    hues = {voice.id: i for i, voice in enumerate(analysis.voices)}
    headings = (
        "In the microphone of",
        *(mic.own.name if mic.own and sound.own[m] >= 0 else mic.name for m, mic in enumerate(sound.mics)),
    )
    help_ = ("The source", *(f"{mic.name}: {mic.kind.name}" for mic in sound.mics))
    rows = []
    for v, source in enumerate(sound.sources):
        cells, marks = [source.name], []
        for m in range(len(sound.mics)):
            own = int(sound.own[m])
            level = float(sound.level_db[v, m])
            if own == v or own < 0:
                cells.append(show_number(level, "dB SPL"))
                continue
            under = float(sound.level_db[own, m]) - level
            cells.append(f"{MINUS if under >= 0 else '+'}{abs(under):.1f} dB")
            if float(sound.direct_db[own, m] - sound.direct_db[v, m]) < number(ENOUGH) and sound.is_open(m):
                marks.append((m + 1, "fix"))
        rows.append(
            Row(
                ("party" if source.party else "loudspeaker", source.id),
                tuple(cells),
                hues.get(source.id, -1),
                tuple(marks),
            )
        )
    return headings, help_, tuple(rows)


# the Why panel


def why_thing(analysis: Report, show: Show, sound: PlaceSound, thing: Thing | None, mic: int | None) -> WhyContent:
    """The selected thing of the plan: its arithmetic, findings about it, what can be done."""
    if thing is None:
        cost = (explain.explain_open(sound),) if sound.mics else ()
        actions = (
            Action("party", "Add somebody or something\u2026", "Adds who is heard here, or hears, or both."),
            Action("microphone", "Add a microphone\u2026", "Adds a microphone to this place."),
        )
        hint = "Put in who must be heard, then select them: Best places says which microphone, where."
        return WhyContent(sound.place.name, place_words(sound), more=cost, hint=hint, actions=actions)
    details = Action(
        "details", "Details\u2026", f"Name, kind, position and direction of {thing.name}. Also Enter on the plan."
    )
    if mic is None or sound.own[mic] < 0:
        return _why_alone(analysis, show, sound, thing, details)
    stand, own = sound.mics[mic], int(sound.own[mic])
    name = sound.sources[own].name
    over = explain.explain_over_room(show, sound, mic)
    lines = (over,) if over is not None else ()
    more = [
        row
        for row in (
            explain.explain_over_microphone(sound, mic),
            explain.explain_headroom(sound, mic),
            explain.explain_own_reverberation(sound, mic),
        )
        if row
    ]
    turned = _turns(analysis, sound, mic)
    if turned is not None:
        more.append(turned)
    more.append(explain.explain_open(sound))
    subjects = {thing.id, stand.device.id, sound.sources[own].id}
    found = tuple(
        row
        for row in analysis.findings
        if row.stage == "Cast" and _is_about(row, subjects, stand.device.id, sound.sources[own].id, thing)
    )
    where = "goes along" if stand.goes_along else f"{show_number(float(sound.angle_deg[own, mic]), '°')} off its axis"
    subtitle = f"{stand.kind.name}, {show_number(float(sound.distance_m[own, mic]), 'm')}, {where}"
    best = Action(
        "best",
        f"Best places for {name}'s microphone",
        "Ranks every kind of microphone for this party, each at its best allowed spot.",
    )
    return WhyContent(stand.name, subtitle, lines=lines, findings=found, more=tuple(more), actions=(best, details))


def _is_about(finding: Finding, subjects: set[str], device: str, party: str, thing: Thing) -> bool:
    """Bleed counts at the microphone where it is heard; everything else at whatever it names."""
    if finding.code == "three-to-one":
        return device == finding.subjects[1] or (thing.sort == "party" and party == finding.subjects[0])
    if finding.code in ("open-microphones",):
        return bool(subjects & set(finding.subjects))
    return bool(subjects & set(finding.subjects))


def _turns(analysis: Report, sound: PlaceSound, mic: int) -> Derived | None:
    turns = turns_of(Placed(analysis, sound, mic))
    if not turns:
        return None
    terms = tuple(
        Derived(
            f"{abs(row.turn_deg):.0f}\u00b0" + (f", to {row.towards}" if row.towards else ", to the worse side"),
            row.change_db,
            "dB",
        )
        for row in turns
    )
    worst = min(row.change_db for row in turns)
    return Derived("head turn, at worst", worst, "dB", "distance, pattern and face, turned against straight", terms)


def _why_alone(analysis: Report, show: Show, sound: PlaceSound, thing: Thing, details: Action) -> WhyContent:
    """Something that has no microphone, or is none."""
    found = tuple(row for row in findings_about(analysis.findings, thing.id) if row.stage == "Cast")
    v = sound.source_index.get(thing.id)
    if v is not None:
        source = sound.sources[v]
        lines = tuple(
            explain.explain_level(show, sound, v, m) for m in range(len(sound.mics)) if source.device is not None
        )
        actions = (
            (
                Action(
                    "best",
                    f"Best places for {thing.name}'s microphone",
                    "Ranks every kind of microphone for this party, each at its best allowed spot.",
                ),
                details,
            )
            if source.party
            else (details,)
        )
        hint = f"{thing.name} has no microphone yet." if source.party else ""
        return WhyContent(
            thing.name,
            f"{source.level.text()} at 1 m",
            lines=lines or (source.level,),
            findings=found,
            hint=hint,
            actions=actions,
        )
    if thing.sort == "microphone":
        m = sound.mic_index.get(thing.id)
        room = (sound.ambient[m],) if m is not None else ()
        hint = (
            "It is nobody's: say whose in its details."
            if not thing.party
            else "Its party has no position yet: give it one in its details."
        )
        return WhyContent(
            thing.name,
            thing.stand.kind.name if thing.stand else "",
            lines=room,
            findings=found,
            hint=hint,
            actions=(details,),
        )
    if thing.sort == "noise":
        spot = next(row for row in sound.place.noises if row.id == thing.id)
        level = Derived(f"{spot.name} at 1 m", spot.level_dba_1m, "dBA", source="show")
        return WhyContent(
            thing.name,
            spot.noise.replace("-", " "),
            lines=(level,),
            findings=found,
            hint="It counts in every microphone here by distance and pattern.",
            actions=(details,),
        )
    what = "hears only" if thing.sort == "party" else "reflects" if thing.sort == "surface" else thing.sort
    return WhyContent(thing.name, what, findings=found, actions=(details,))


def why_elsewhere(analysis: Report, party: Party | None) -> WhyContent:
    """Somebody without a place on a plan."""
    if party is None:
        return WhyContent(
            "Elsewhere", hint="Add, Somebody or something, with no place: an audience, a recorder, a player."
        )
    level = analysis.graph.mouths.get(party.id)
    found = tuple(row for row in findings_about(analysis.findings, party.id) if row.stage == "Cast")
    ends = (
        [f"is heard, from {party.plays_on}"]
        if party.speaks and party.plays_on
        else ["is heard"]
        if party.speaks
        else []
    )
    ends += (
        [f"listens on {party.hears_on}"] if party.listens and party.hears_on else ["listens"] if party.listens else []
    )
    details = Action("details", "Details\u2026", f"Name, kind, place and level of {party.name}. Also Enter on the row.")
    hint = "Who has a place is on its plan; who has none is followed from where its voice begins to where it listens."
    return WhyContent(
        party.name,
        f"{party.kind}, {' and '.join(ends) or 'takes no part'}",
        lines=(level[1],) if level else (),
        findings=found,
        hint=hint,
        actions=(details,),
    )


def why_bleed(analysis: Report, show: Show, sound: PlaceSound, row: int, column: int) -> WhyContent:
    """One crossing of the bleed matrix."""
    m = column - 1
    if not (0 <= row < len(sound.sources) and 0 <= m < len(sound.mics)):
        return WhyContent("Bleed", hint="Nothing sounds here yet, or there is no microphone on the plan.")
    source, mic = sound.sources[row], sound.mics[m]
    lines = [explain.explain_level(show, sound, row, m)]
    under = explain.explain_under_own(sound, row, m)
    if under is not None:
        lines.insert(0, under)
    found = tuple(
        finding
        for finding in analysis.findings
        if finding.stage == "Cast" and finding.subjects[:2] == (source.id, mic.device.id)
    )
    own = int(sound.own[m])
    subtitle = "the microphone's own voice" if own == row else mic.kind.name
    direct = show_number(float(sound.direct_db[row, m]), "dB SPL")
    hint = (
        f"Direct sound alone: {direct}. Three to one counts with direct sound, as only that combs."
        if own != row
        else ""
    )
    return WhyContent(f"{source.name} in {mic.name}", subtitle, lines=tuple(lines), findings=found, hint=hint)


def new_microphone(show: Show, place: str, source: SoundSource, choice: MicrophoneChoice) -> AddRow:
    """A new microphone of a chosen kind for a party."""
    device = Device(
        id=fresh_id(show, f"mic-{source.id}"),
        kind=choice.kind.id,
        name=f"{source.name}'s microphone",
        place=place,
        at_m=choice.at,
        party=source.id,
    )
    return AddRow("devices", device)
