"""What is selected on a plan, its placement map and its advice, kept until something that they depend on changes."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.app.stages.cast.view import new_microphone
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.acoustics.spots import PlacementMap, placement_map
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.edits import AddRow, Edit, SetField
from kymaphon.core.model.show import Show
from kymaphon.core.placement.advice import Advice, advise
from kymaphon.core.placement.before_howl import BeforeHowl, before_howl
from kymaphon.core.placement.placing import MicrophoneChoice


@dataclass(frozen=True, slots=True)
class Subject:
    """What a selection is about: positions of a microphone and of a voice in a place's sound; None where there is none."""

    mic: int | None
    voice: int | None


def subject_of(sound: PlaceSound, key: tuple[str, str]) -> Subject:
    """A microphone with its own voice, or a party with its first microphone."""
    sort, name = key
    if sort == "microphone":
        mic = sound.mic_index.get(name)
        return Subject(mic, int(sound.own[mic]) if mic is not None and sound.own[mic] >= 0 else None)
    if sort == "party":
        voice = sound.source_index.get(name)
        mine = (m for m in range(len(sound.mics)) if voice is not None and sound.own[m] == voice)
        return Subject(next(mine, None), voice)
    return Subject(None, None)


class Adviser:
    """Computes by the core, once for each question."""

    def __init__(self) -> None:
        self._map: tuple[object, PlacementMap] | None = None
        self._advice: tuple[object, Advice] | None = None
        self._howl: tuple[object, BeforeHowl | None, tuple[MicrophoneChoice, ...]] | None = None

    def forget(self) -> None:
        """The kinds have changed."""
        self._advice = self._howl = None

    def placement(
        self,
        sound: PlaceSound,
        subject: Subject,
        kind: Kind | None,
        bounds: tuple[float, float, float, float],
        howl: BeforeHowl | None = None,
    ) -> PlacementMap | None:
        """The map of the selected party for its own microphone, or for a kind chosen in the ranking, over what is seen: of voice over
        room, or of how far from howling it is.
        """
        stand = sound.mics[subject.mic] if subject.mic is not None else None
        kind = kind or (stand.kind if stand else None)
        if subject.voice is None or kind is None or (kind.microphone is None and not kind.is_phone):
            return None
        shield = stand.device.shield if stand else "none"
        source = sound.sources[subject.voice]
        others = tuple(row.at for row in sound.sources)
        key: tuple[object, ...] = (
            sound.place,
            source.at,
            source.faces_deg,
            source.level.value,
            kind,
            shield,
            others,
            bounds,
        )
        if howl is not None:
            key = (*key, id(howl))
        if self._map is None or self._map[0] != key:
            made = (
                howl.map_of(kind, bounds)
                if howl is not None
                else placement_map(sound, subject.voice, kind, shield, bounds=bounds)
            )
            self._map = key, made
        return self._map[1]

    def before_howl(
        self, analysis: Report, sound: PlaceSound, subject: Subject, kinds: tuple[Kind, ...]
    ) -> tuple[BeforeHowl | None, tuple[MicrophoneChoice, ...]]:
        """How far from howling the selected party is, and all kinds ranked by that; None where no loudspeaker of its place carries it."""
        party = sound.sources[subject.voice].id if subject.voice is not None else None
        key = (id(analysis), party, kinds)
        if self._howl is None or self._howl[0] != key:
            found = before_howl(analysis, party) if party in [row.id for row in analysis.show.parties] else None
            self._howl = key, found, tuple(found.ranked(kinds)) if found is not None else ()
        return self._howl[1:]

    def advice(self, sound: PlaceSound, subject: Subject, kinds: tuple[Kind, ...], *, held: bool) -> Advice | None:
        """All kinds ranked for the selected party; the last answer while `held`, as during a drag."""
        if subject.voice is None:
            return None
        if held and self._advice is not None:
            return self._advice[1]
        stand = sound.mics[subject.mic] if subject.mic is not None else None
        kind = stand.kind if stand is not None and stand.kind.microphone is not None else kinds[0]
        key = (id(sound), subject, kinds)
        if self._advice is None or self._advice[0] != key:
            shield = stand.device.shield if stand else "none"
            self._advice = key, advise(sound, subject.voice, kind, kinds, subject.mic, shield)
        return self._advice[1]


def use_edits(
    show: Show,
    place: str,
    catalogue: Catalogue,
    sound: PlaceSound,
    subject: Subject,
    choice: MicrophoneChoice,
) -> tuple[tuple[Edit, ...], str]:
    """The edits that put a chosen kind where it is best, and what they are called."""
    if subject.voice is None:
        return (), ""
    name = sound.sources[subject.voice].name
    edits: list[Edit] = []
    if choice.kind.id not in catalogue:
        edits.append(AddRow("kinds", choice.kind))
    if subject.mic is None:
        edits.append(new_microphone(show, place, sound.sources[subject.voice], choice))
        return tuple(edits), f"Add {choice.kind.name} for {name}"
    stand = sound.mics[subject.mic]
    if stand.kind.id != choice.kind.id:
        # Another kind has other sockets: settings of the old one would have nothing to stand on.
        edits.append(SetField("devices", stand.device.id, "kind", choice.kind.id))
    if choice.at is not None:
        edits.append(SetField("devices", stand.device.id, "at_m", choice.at))
        edits.append(SetField("devices", stand.device.id, "aim_deg", None))
    return tuple(edits), f"{choice.kind.name} for {name}"
