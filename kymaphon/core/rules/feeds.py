"""Rules about who hears whom: own voice back, two arrivals, loops, wants that are not met."""

from __future__ import annotations

import math
from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.cuts import Cut, PairConstraint
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import (
    Delivery,
    arrivals_of,
    at_once_ms,
    echo_class,
    is_for_far_end,
    late_return,
)
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.graph.stability import howls_at
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.cures import (
    against_mark,
    blocked,
    cuts_of,
    remedies_of,
    wanted_pairs,
    way_devices,
)
from kymaphon.core.mixes.far_desk import far_end
from kymaphon.core.mixes.loops import loop_cuts, loop_trouble
from kymaphon.core.mixes.returns import loop_of, together, turn_of
from kymaphon.core.mixes.turned_down import has_knobs, turning_remedies
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.stages import Severity
from kymaphon.core.model.wants import ROLE_WORDS, unsaid, wants_by_role
from kymaphon.core.rules.feeds_ways import (
    echo_cancellers,
    headphones_instead,
)
from kymaphon.core.rules.record import rule

_ECHO_WORDS = {
    "hollow": "hollow, like talking into a pipe",
    "blurred": "blurred",
    "echo": "a distinct echo",
    "stops": "late enough to stop people speaking",
}
_ECHO_SEVERITY: dict[str, Severity] = {"hollow": "fix", "blurred": "fix", "echo": "stop", "stops": "stop"}


@rule("own-voice-back", stage="Feeds", reads=("feeds", "programme"))
def own_voice_back(analysis: Computed) -> Iterator[Finding]:
    """A party that gets its own voice back later than at once (ITU-T G.114, Haas 1951, Lee 1950)."""
    kept = wanted_pairs(analysis)
    for feed in analysis.feeds.values():
        if feed.verdict != "back" or feed.delay_ms is None or feed.gain_db is None or feed.path is None:
            continue
        kind = echo_class(feed.delay_ms)
        name = analysis.party_name(feed.listener)
        mouth, source = analysis.graph.mouths[feed.voice]
        ears = analysis.graph.ears[feed.listener]
        offset = source.value - analysis.mark_for(feed.listener, feed.unit).value
        floor, at_once = number("own-voice-floor"), at_once_ms(feed.want)
        ways = [path for arrival in analysis.arrivals(*feed.key) for path in arrival.paths]
        loud = [path for path in ways if path.delay_ms > at_once and path.gain_db + offset > floor]

        def bad(
            transfer: Transfer,
            mouth: int = mouth,
            ears: tuple[int, ...] = ears,
            offset: float = offset,
            at_once: float = at_once,
        ) -> list[list[SignalPath]]:
            lowest = number("own-voice-floor") - offset
            arrivals = (arrivals_of(transfer, mouth, ear, floor_db=lowest, own=True) for ear in ears)
            found = (late_return(row, offset, at_once) for row in arrivals)
            return [[path] for late in found if late is not None for path in late.paths]

        cuts = cuts_of(analysis, bad, kept)
        explained = analysis.explain_feed(feed)
        level, delay = explained if explained else (None, None)
        no_switch = blocked(analysis, cuts)
        if no_switch and is_for_far_end(feed):
            no_switch = " It comes back by the air there: headphones at that end stop it, no switch on this side does without taking somebody off."
        message = (
            f"{name} gets its own voice back {show_number(feed.delay_ms, 'ms')} late, "
            f"{against_mark(feed.gain_db)}: {_ECHO_WORDS[kind]}.{_both_ends(analysis, feed)}{no_switch}"
        )
        control = echo_control(analysis, feed.path)
        if control:
            message += f" {control} takes it away while only one end talks; leave it on."
        remedies = remedies_of(analysis, cuts, f"{name} no longer hears itself late", kept)
        words, asked, ask = far_end(analysis, (feed.path,))
        message += words
        remedies = remedies or ask or headphones_instead(analysis, feed.path)
        # A little of oneself in a neighbour's microphone, no later than a hollow tone, is bleed: Cast's to tell.
        bled = kind == "hollow" and any(step.kind is EdgeKind.BLEEDS for step in feed.path.steps())
        yield Finding(
            "own-voice-back",
            "note" if control or asked or bled else _ECHO_SEVERITY[kind],
            "Feeds",
            (feed.listener,),
            f"Echo: {name} hears itself {show_number(feed.delay_ms, 'ms')} late",
            message,
            (
                Derived("delay", feed.delay_ms, "ms", source="computed"),
                Derived("gain", feed.gain_db, "dB", source="computed, against the mark"),
                Derived("ways back", len(loud), "", source="computed"),
            ),
            Derived(
                "own voice back",
                feed.delay_ms,
                "ms",
                "",
                tuple(row for row in (delay, level) if row),
                figure("delay-stops").source,
            ),
            remedies,
            (feed.key,),
        )


def _both_ends(analysis: Computed, feed: Delivery) -> str:
    """Where the voice turns round, and what each end notices."""
    turn = turn_of(analysis, feed.path, feed.listener) if feed.path is not None else None
    if turn is None:
        return ""
    name = analysis.party_name(feed.listener)
    device = analysis.show.device(turn.device)
    where = analysis.device_name(turn.device)
    if device.place is not None:
        where += f" ({analysis.show.place(device.place).name})"
    by = f", {turn.crosspoint}" if turn.crosspoint else ""
    if turn.own_end:
        return f" It turns round at {name}'s own end, in {where}{by}; the other end hears nothing of it."
    return f" It turns round in {where}{by}. Nobody there hears it: only {name} can tell, so ask before each show."


def echo_control(analysis: Computed, path: SignalPath) -> str:
    """The echo canceller that works on a way which goes from a loudspeaker into a microphone; empty where none does."""
    rows = echo_cancellers(analysis, path)
    return f"{analysis.device_name(rows[0].device.id)}, {rows[0].processor.name}," if rows else ""


@rule("loop-howls", "loop-rings", "loop-echoes", stage="Feeds", reads=("feeds", "programme"))
def circles(analysis: Computed) -> Iterator[Finding]:
    """Loops in which signal goes round: howling, or too near to it (Davis and Patronis: keep 6 dB), or so long that it comes again as
    an echo (Haas 1951).
    """
    trouble = loop_trouble(analysis)
    if trouble is None:
        return
    margin = number("loop-margin")
    listed, found, ways = trouble.listed, trouble.heard, trouble.ways
    worst, howls, steep = trouble.worst, trouble.howls, trouble.steep
    beyond = howls_at(worst.gain_db)
    kept = wanted_pairs(analysis)
    cuts = loop_cuts(analysis, trouble, kept)
    circle = loop_of(analysis, worst)
    all_rows = together(analysis)
    round_trip = f"{show_number(worst.delay_ms, 'ms')} round, {show_number(worst.gain_db, 'dB', sign=True)} each time"
    spaced = ""
    if circle.spacing_hz:
        first = ", ".join(f"{row:.0f}" for row in circle.comb(3))
        spaced = f", possible every {circle.spacing_hz:.1f} Hz ({first} \u2026)"
    through = f"{', '.join(way_devices(analysis, worst))}: {circle.cause}"
    if howls and not beyond:
        text = (
            f"{len(listed)} loops howl together, though the strongest alone has a gain margin of {-worst.gain_db:.1f} dB ({round_trip}). "
            f"They go through {through}. It builds up{spaced}."
        )
    elif howls and worst.gain_db < 0:
        text = (
            f"Signal goes round in a loop through {through}; {round_trip}. That is {-worst.gain_db:.1f} dB from howling, and gains are known no "
            f"better than to {number('loop-tolerance'):.0f} dB: take it as howling{spaced}. No level of what goes through it can be told."
        )
    elif howls:
        text = (
            f"Signal goes round in a loop through {through}; {round_trip}. It builds up and howls{spaced}. "
            "No level of what goes through it can be told."
        )
    elif not steep:
        rounds = math.ceil(-60 / worst.gain_db)
        text = (
            f"What goes round comes again every {show_number(worst.delay_ms, 'ms')}, {-worst.gain_db:.1f} "
            "dB weaker each time: an echo for everybody who hears it, "
            f"60 dB down after {rounds} rounds, {show_number(rounds * worst.delay_ms, 'ms')}. The loop goes through {through}."
        )
    else:
        text = (
            f"A loop through {through}; its gain margin is only {-worst.gain_db:.1f} dB ({round_trip}). Keep {margin:.0f} dB, or it rings{spaced}. "
            f"As it is it colours by {show_number(circle.peak_db, 'dB', sign=True)} to {show_number(circle.dip_db, 'dB')}."
        )
    if len(ways) > 1 and all_rows is not None:
        text += f" {len(ways)} loops together come to {show_number(all_rows.value, 'dB', sign=True)}."
    far_words, asked, ask = far_end(analysis, (worst,)) if not steep else ("", False, ())
    gain, delay = circle.gain, circle.delay
    margin_left = Derived(
        "gain margin",
        analysis.transfer.stability.margin_db,
        "dB",
        source="of all loops together, (I − |A|)⁻¹",
    )
    yield Finding(
        "loop-howls" if howls else "loop-rings" if steep else "loop-echoes",
        "stop" if howls else "note" if asked else "fix",
        "Feeds",
        tuple(dict.fromkeys(analysis.graph.nodes[node].owner for node in worst.nodes)),
        "A loop howls"
        if howls
        else f"A loop has a gain margin of {-worst.gain_db:.1f} dB"
        if steep
        else f"An echo every {show_number(worst.delay_ms, 'ms')}",
        text + ("" if steep and has_knobs(analysis.transfer) else blocked(analysis, cuts)) + far_words,
        (
            Derived("loop gain", worst.gain_db, "dB"),
            Derived("loop delay", worst.delay_ms, "ms"),
            Derived("circles", len(found), ""),
            *((margin_left,) if math.isfinite(margin_left.value) else ()),
        ),
        Derived(
            "circle",
            worst.gain_db,
            "dB",
            "",
            (gain, delay),
            figure("loop-margin" if steep else "loop-echo").source,
        ),
        _opened_or_turned(analysis, cuts, kept)
        if steep
        else remedies_of(analysis, cuts, "no echo is left that goes round", kept) or ask,
    )


def _opened_or_turned(analysis: Computed, cuts: list[Cut], kept: list[PairConstraint]) -> Later | tuple[Remedy, ...]:
    """What opens the loops, and what turns them down until they keep their margin: the quieter way to have them."""
    if not analysis.remedies:
        return ()
    done = f"no loop is left within {number('loop-margin'):.0f} dB of howling"

    def look() -> Iterator[Remedy]:
        yield from remedies_of(analysis, cuts, done, kept)
        yield from turning_remedies(analysis.transfer, f"Then {done}.")

    return Later(look, ("loops", tuple(cut.label for cut in cuts)))


# What nobody has said comes before what is heard too low: asked for, the level that is wanted is known.


@rule("wants-not-said", stage="Feeds", reads=("layout", "wants"))
def wants_not_said(analysis: Computed) -> Iterator[Finding]:
    """Listeners of whom nobody said what they should hear: nothing can be called missing or wrong for them."""
    rows = unsaid(analysis.show)
    if not rows:
        return
    names = ", ".join(party.name for party in rows)
    first = rows[0]
    text = f"Nobody has said what {names} should hear, so nothing can be found missing there. By role {first.name} hears {ROLE_WORDS[first.kind]}."
    wants = tuple(want for party in rows for want in wants_by_role(analysis.show, party.id))
    remedies = (
        Remedy(
            "by-role", "Ask for it by their roles", f"{len(wants)} wants, each to be changed where it is not so.", wants
        ),
    )
    yield Finding(
        "wants-not-said",
        "note",
        "Feeds",
        tuple(party.id for party in rows),
        f"What should {names} hear",
        text,
        (Derived("listeners", len(rows), ""),),
        None,
        remedies,
    )
