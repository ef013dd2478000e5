"""One voice so much louder or quieter: what to turn, how near to clipping it then comes, and who else moves with it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.levels.turning import gain_knobs, turn_remedies
from kymaphon.core.model.edits import apply_all
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.weights import growth_of

UNMOVED_DB = 1e-6
MOST_TRIED = 4
"""So many ways to turn are tried; the first moves the fewest knobs."""


@dataclass(frozen=True)
class Louder:
    """What it takes to have a voice louder or quieter where the programme goes.

    Attributes:
        voice, end: names.
        by_db: as asked; positive is louder.
        remedy: what to turn; None where no knob has so much left.
        spare_db, spare_at: from the peaks to the nearest ceiling then, and where that is; None where nothing on the way clips.
        growth_db: what is to be left for warming up.
        off_db: from the middle of the mark at the last point that has one; None where none has.
        off_before_db: the same as it stands.
        moved: who else would be louder or quieter for somebody.
        howls: a loop would howl.
        most_db: how much louder it may be at most, with what is to be left for warming up: by the points that what is turned moves; None
            where none of those clips.
    """

    voice: str
    end: str
    by_db: float
    remedy: Remedy | None
    spare_db: float | None
    spare_at: str
    growth_db: float
    off_before_db: float | None
    off_db: float | None
    moved: tuple[str, ...]
    howls: bool
    most_db: float | None

    @property
    def clips(self) -> bool:
        return self.spare_db is not None and self.spare_db < 0

    def words(self) -> str:
        """The answer in a few sentences, what decides first."""
        if self.remedy is None:
            return f"No knob on the way to {self.end} has {abs(self.by_db):g} dB left. {self._most()}".strip()
        rows = [f"{self.remedy.label}."]
        if self.spare_db is not None:
            if self.clips:
                rows.insert(0, f"It clips: the peaks come {-self.spare_db:.1f} dB over the ceiling of {self.spare_at}.")
                rows.append(self._most())
            else:
                left = self.spare_db - self.growth_db
                rows.append(f"Peaks {self.spare_db:.1f} dB below clipping, least at {self.spare_at};")
                rows[-1] += (
                    f" {left:.1f} dB to spare."
                    if not self.growth_db
                    else f" {self.growth_db:.1f} dB of it are for warming up, {left:.1f} dB to spare."
                    if left >= 0
                    else f" people gain about {self.growth_db:.0f} dB on warming up, so it will clip. {self._most()}"
                )
        if self.off_db is not None:
            side = "over" if self.off_db >= 0 else "under"
            rows.append(f"{abs(self.off_db):.1f} dB {side} the middle of the mark at {self.end}.")
        if self.howls:
            rows.append("A loop would howl.")
        if self.moved:
            rows.append(f"{', '.join(self.moved)} would move with it.")
        return " ".join(row for row in rows if row)

    def _most(self) -> str:
        if self.most_db is None:
            return ""
        if self.most_db < 0:
            return "As it stands there is nothing to spare."
        return f"At most {self.most_db:.1f} dB louder leaves what talkers gain on warming up."

    def to_json(self) -> dict[str, Any]:
        return {
            "voice": self.voice,
            "to": self.end,
            "by_db": self.by_db,
            "turn": None if self.remedy is None else self.remedy.label,
            "spare_db": None if self.spare_db is None else round(self.spare_db, 2),
            "spare_at": self.spare_at,
            "clips": self.clips,
            "off_mark_db": None if self.off_db is None else round(self.off_db, 2),
            "moved": list(self.moved),
            "howls": self.howls,
            "most_db": None if self.most_db is None else round(self.most_db, 2),
        }


def louder(analysis: Computed, voice: str, by_db: float) -> Louder:
    """What to turn for a voice to be so much louder where the programme goes: by what moves nobody else, if that can be.

    Raises:
        KeyError: no such voice.
        ValueError: it comes to no end of the programme.
    """
    party = analysis.show.party(voice)
    ladder = analysis.main_ladders.get(voice)
    if ladder is None:
        raise ValueError(f"{party.name} comes to no end of the programme")
    growth = growth_of(party).value
    end = analysis.party_name(ladder.target)
    before = _off(ladder)
    best: Louder | None = None
    for remedy in turn_remedies(analysis, ladder, gain_knobs(ladder), by_db, f"{party.name} {_by(by_db)}")[:MOST_TRIED]:
        after = figures_of(apply_all(analysis.show, remedy.edits), analysis.catalogue, remedies=False)
        there = after.main_ladders.get(voice)
        if there is None:
            continue
        spare, at = _spare(there)
        howls = after.transfer.howls and not analysis.transfer.howls
        row = Louder(
            party.name,
            end,
            by_db,
            remedy,
            spare,
            at,
            growth,
            before,
            _off(there),
            _moved(analysis, after, voice),
            howls,
            _most(ladder, there, growth),
        )
        if best is None or _worth(row) > _worth(best):
            best = row
    spare, at = _spare(ladder)
    return best or Louder(party.name, end, by_db, None, spare, at, growth, before, before, (), False, None)


def _most(now: Ladder, then: Ladder, growth_db: float) -> float | None:
    """How much louder a voice may be until, once warm, its peaks are at the nearest ceiling of those that come louder with it: what lies
    before the knob stays as it is.
    """
    stood = {rung.node: rung for rung in now.rungs}
    rows = [
        was.headroom_db - growth_db
        for rung in then.rungs
        if (was := stood.get(rung.node)) is not None
        and was.headroom_db is not None
        and abs(rung.speech_db - was.speech_db) > UNMOVED_DB
    ]
    return min(rows, default=None)


def _by(by_db: float) -> str:
    return f"{show_number(abs(by_db), 'dB')} {'louder' if by_db > 0 else 'quieter'}"


def _worth(row: Louder) -> tuple[bool, bool, bool, float]:
    """Whom it moves besides, then howling and clipping, then what is left."""
    return not row.moved, not row.howls, not row.clips, row.spare_db if row.spare_db is not None else 0.0


def _spare(ladder: Ladder) -> tuple[float | None, str]:
    rung = ladder.tightest()
    return (None, "") if rung is None else (rung.headroom_db, rung.label)


def _off(ladder: Ladder) -> float | None:
    """How far speech is from the middle of its mark at the last point that has one."""
    for rung in reversed(ladder.rungs):
        if rung.wanted is not None and rung.wanted.average is not None:
            return rung.speech_db - rung.wanted.average
    return None


def _moved(before: Computed, after: Computed, voice: str) -> tuple[str, ...]:
    """Names of those others whom somebody would hear otherwise."""
    out = []
    for (_, other), feed in before.feeds.items():
        now = after.feeds.get((feed.listener, other))
        if other == voice or now is None or feed.gain_db is None or now.gain_db is None:
            continue
        heard = feed.gain_db - feed.wanted_gain_db > number("heard-floor")
        if heard and abs(now.gain_db - feed.gain_db) > number("moved-with") and other not in out:
            out.append(other)
    return tuple(before.party_name(row) for row in out)
