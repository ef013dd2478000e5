"""The command gate: a gate found from a recording, what the schools' values would do, the gated sound."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from kymaphon.cli.answer import Unusable, print_json
from kymaphon.core.derive import show_number
from kymaphon.files.errors import FileProblem


def add_gate_options(row: argparse.ArgumentParser) -> None:
    """The options of the command."""
    row.add_argument("file", metavar="FILE", help="a recording of talk")
    row.add_argument("--noise", metavar="ROOM", help="a recording of the room alone; left out: the pauses of FILE")
    row.add_argument(
        "--prefer",
        choices=("never-eat", "balanced", "keep-silent"),
        default="balanced",
        help="what matters most",
    )
    row.add_argument("--render", metavar="OUT", help="write the gated sound: .wav .flac .ogg .mp3 and so on")
    row.add_argument("--preset", metavar="TXT", help="write the settings as plain text")
    row.add_argument("--channel", type=int, metavar="N", help="which channel, from 1; left out: the loudest")
    row.add_argument(
        "--low-cut",
        metavar="HZ",
        help="low cut before the gate: a corner in Hz, or 'auto' for what voice and room ask for",
    )
    row.add_argument(
        "--detector",
        choices=("peak", "rms"),
        help="that of the unit; left out: both are tried, and the better is taken",
    )
    row.add_argument("--look-ahead", type=float, metavar="MS", help="that of the unit: the sound is delayed by this")
    row.add_argument(
        "--settings",
        metavar="TXT",
        help="judge the gate of a settings file (as --preset writes them) instead of finding one",
    )
    row.add_argument(
        "--options",
        action="store_true",
        help="try another detector, look-ahead and a low cut in the key, and tell what each buys",
    )
    row.add_argument("--range", type=float, metavar="DB", help="taken off when shut; left out: by what matters most")
    row.add_argument(
        "--music", metavar="MUSIC", help="a recording of loudspeakers at the microphone: how loud they may be"
    )
    row.add_argument("--partial", action="store_true", help="take what is there of a recording that was cut short")


FOUND_ONLY = ("--preset", "--options", "--music", "--low-cut", "--detector", "--look-ahead", "--range")


def gate(options: argparse.Namespace) -> int:
    from kymaphon.core.dynamics.design import design, options_of
    from kymaphon.core.dynamics.speech import NoTalkError
    from kymaphon.core.dynamics.study import study
    from kymaphon.core.model.processing import Gate
    from kymaphon.core.takes.measure import NotANumberError
    from kymaphon.files.takes import take_file

    take = take_file(options.file, partial=options.partial)
    room = take_file(options.noise, partial=options.partial) if options.noise else None
    if options.look_ahead is not None and not 0 <= options.look_ahead <= 100:
        raise Unusable("--look-ahead: 0 to 100 ms")
    if options.range is not None and not 0 <= options.range <= 120:
        raise Unusable("--range: 0 to 120 dB")
    like = None
    if options.detector is not None or options.look_ahead is not None:
        like = Gate(detector=options.detector or "peak", look_ahead_ms=options.look_ahead or 0.0)
    if options.settings:
        given = [flag for flag in FOUND_ONLY if getattr(options, flag.strip("-").replace("-", "_"))]
        if given:
            raise Unusable(f"{given[0]} is for finding a gate; --settings judges the one of its file")
        return _judged(options, take, room)
    buys: tuple[Any, ...] = ()
    try:
        low_cut = _low_cut(options, take, room)
        found = study(take, room, channel=options.channel, low_cut=low_cut)
        best = design(found.talk, options.prefer, like=like, range_db=options.range)
        if options.options:
            buys = (*options_of(best, range_db=options.range), *_keyed(options, take, room, found, best))
    except NoTalkError as error:
        raise FileProblem(take.path, f"no gate can be set from it: {error}") from error
    except NotANumberError as error:
        raise FileProblem(take.path, f"holds samples {error.what}", f"{error.at_s:.3f} s") from error
    except ValueError as error:
        raise Unusable(str(error)) from error
    speakers = _speakers(options, best)
    if options.render:
        _render(options, take, found, best.trial, best.gate)
    if options.preset:
        _preset(options, found, best)
    if options.json:
        print_json(gate_json(found, best, speakers, buys))
    else:
        _print(found, best, speakers)
        for row in buys:
            print(f"With {row.label}: {row.text}.")
    for name in (options.render, options.preset):
        if name:
            print(f"written: {name}", file=sys.stderr)
    return 0


def _low_cut(options: argparse.Namespace, take: Any, room: Any) -> Any:
    from kymaphon.core.dynamics.study import study
    from kymaphon.core.model.processing import LowCut

    if not options.low_cut:
        return None
    if options.low_cut == "auto":
        first = study(take, room, channel=options.channel)
        return first.choice.low_cut if first.choice is not None else None
    try:
        corner = float(options.low_cut)
    except ValueError as error:
        raise Unusable(f"--low-cut {options.low_cut}: a corner in Hz, or auto") from error
    if not 10 <= corner <= 1000:
        raise Unusable("--low-cut: 10 to 1000 Hz")
    return LowCut(corner_hz=corner)


def _keyed(options: argparse.Namespace, take: Any, room: Any, found: Any, best: Any) -> tuple[Any, ...]:
    """The gate with a low cut in its key; nothing where its words cannot be told so."""
    from kymaphon.core.dynamics.design import key_option
    from kymaphon.core.dynamics.speech import NoTalkError
    from kymaphon.core.dynamics.study import study
    from kymaphon.core.figures import number
    from kymaphon.core.model.processing import Gate

    corner = number("gate-key-low-cut")
    keyed_gate = Gate(key_low_hz=corner)
    try:
        keyed = study(take, room, channel=found.channel, low_cut=found.low_cut, gate=keyed_gate)
    except NoTalkError:
        return ()
    return (key_option(best, keyed.talk, corner, range_db=options.range),)


def _judged(options: argparse.Namespace, take: Any, room: Any) -> int:
    """What the gate of a settings file does to a recording."""
    from kymaphon.core.dynamics.chain import words_of
    from kymaphon.core.dynamics.evaluation import trial_of
    from kymaphon.core.dynamics.speech import NoTalkError
    from kymaphon.core.dynamics.study import study
    from kymaphon.core.figures import number
    from kymaphon.core.model.processing import Gate, LowCut
    from kymaphon.files.preset_file import open_preset

    chain, unit = open_preset(options.settings)
    gate = next((row for row in chain if isinstance(row, Gate) and row.on), None)
    if gate is None:
        raise FileProblem(Path(options.settings), "has no gate that is on")
    if unit != "dBFS":
        raise FileProblem(Path(options.settings), f"has its thresholds in {unit}; a recording is judged in dBFS")
    low_cut = next((row for row in chain if isinstance(row, LowCut) and row.on), None)
    try:
        found = study(take, room, channel=options.channel, low_cut=low_cut, gate=gate)
    except NoTalkError as error:
        raise FileProblem(take.path, f"nothing can be judged on it: {error}") from error
    except ValueError as error:
        raise Unusable(str(error)) from error
    trial = trial_of(found.talk, gate)
    verdict = trial.judge(gate)
    if options.render:
        _render(options, take, found, trial, gate)
        print(f"written: {options.render}", file=sys.stderr)
    if options.json:
        print_json(
            {
                **_settings_json(gate),
                **verdict.figures_json(),
                "works": verdict.works,
                "snr_db": round(found.talk.snr_db, 3),
                "room_loudest_dbfs": round(trial.room_loudest_db, 3),
                "eaten": _eaten_json(verdict),
                "notes": list(found.notes),
            }
        )
        return 0
    print(words_of(gate)[:1].upper() + words_of(gate)[1:])
    print(
        f"{verdict.words_clipped} of {verdict.words} words eaten, {show_number(verdict.heard_lost_ms, 'ms')} of them heard to be missing; "
        f"{verdict.noise_open_ratio:.0%} of the room let through; chatter {verdict.chatter_per_min:.1f} a minute."
    )
    if verdict.held_open:
        print(
            f"It closes at or under the room's loudest, {show_number(trial.room_loudest_db, 'dBFS')}: the room can hold it open."
        )
    for row in verdict.eaten:
        print(
            f"  word {row.number + 1} at {row.at_s:.2f} s loses its {row.part}: {show_number(row.heard_ms, 'ms')} of it heard to be missing"
        )
    if not verdict.told:
        print(
            f"The voice is {show_number(verdict.snr_db, 'dB')} over the room: under {number('gate-works-snr'):.0f} dB what it loses cannot be told."
        )
    print("It works." if verdict.works else "It does not work on this take.")
    return 0


def _eaten_json(verdict: Any) -> list[dict[str, Any]]:
    return [
        {
            "word": row.number + 1,
            "at_s": round(row.at_s, 4),
            "start_ms": round(row.start_ms, 2),
            "middle_ms": round(row.middle_ms, 2),
            "end_ms": round(row.end_ms, 2),
            "part": row.part,
            "audible_ms": round(row.heard_ms, 2),
        }
        for row in verdict.eaten
    ]


def gate_json(found: Any, best: Any, speakers: Any = None, buys: tuple[Any, ...] = ()) -> dict[str, Any]:
    """Everything that was found, with the unit in each key."""
    talk, verdict = found.talk, best.verdict
    out: dict[str, Any] = {
        **_settings_json(best.gate),
        **verdict.figures_json(),
        "snr_db": round(talk.snr_db, 3),
        "speech_dbfs": round(talk.speech_dbfs, 3),
        "noise_dbfs": round(talk.noise_dbfs, 3),
        "preference": best.preference,
        "works": best.works,
        "channel": found.channel,
        "low_cut_hz": found.low_cut.corner_hz if found.low_cut else None,
        "margins": [row.to_json() for row in best.margins()],
        "eaten": _eaten_json(verdict),
        "word_times_s": [[round(word.start_s, 4), round(word.end_s, 4)] for word in talk.words],
        "schools": [
            {
                "id": id_,
                "name": name,
                **(_settings_json(row.gate) if row.gate else {}),
                **row.figures_json(),
                "source": source,
            }
            for id_, name, source, row in best.schools
        ],
        "notes": [*found.notes, *(note for note in best.notes if note not in found.notes)],
    }
    if buys:
        out["options"] = [
            {
                "id": row.id,
                "label": row.label,
                "buys": row.text,
                "works": row.design.works,
                **_settings_json(row.design.gate),
                **row.design.verdict.figures_json(),
            }
            for row in buys
        ]
    if found.room is not None:
        out["noise_a_weighted_dbfs"] = round(found.room.weighted_dbfs, 3)
    if found.kind is not None:
        out["noise_kind"] = [sort for sort, _ in found.kind.sorts]
        out["noise_about"] = found.kind.words
    if found.choice is not None:
        choice = found.choice
        out["low_cut_choice"] = (
            {
                "corner_hz": choice.low_cut.corner_hz,
                "slope_db_per_octave": choice.low_cut.slope_db_per_octave,
                "off_room_db": round(choice.room_db, 3),
                "off_voice_db": round(choice.voice_db, 3),
            }
            if choice.low_cut
            else None
        )
    if speakers is not None:
        out["loudspeakers"] = speakers.why.to_json()
    return out


def _settings_json(gate: Any) -> dict[str, Any]:
    return {
        "open_dbfs": gate.open_db,
        "close_dbfs": gate.close_db,
        "attack_ms": gate.attack_ms,
        "hold_ms": gate.hold_ms,
        "release_ms": gate.release_ms,
        "range_db": gate.range_db,
        "look_ahead_ms": gate.look_ahead_ms,
        "detector": gate.detector,
        "detector_ms": gate.detector_ms,
        "key_low_hz": gate.key_low_hz,
    }


def _print(found: Any, best: Any, speakers: Any) -> None:
    from kymaphon.core.dynamics.chain import words_of
    from kymaphon.core.dynamics.study import study_words

    for line in study_words(found):
        print(line[:1].upper() + line[1:])
    print(words_of(best.gate)[:1].upper() + words_of(best.gate)[1:])
    for row in best.margins():
        print(f"  {row.name:30} {row.text():>10}")
    print(f"{'':24}{'words eaten':>12}{'start lost':>12}{'room let in':>12}{'chatter/min':>12}")
    rows = [("as found", best.verdict), *((name, verdict) for _, name, _, verdict in best.schools)]
    for name, verdict in rows:
        print(
            f"{name:24}{f'{verdict.words_clipped} of {verdict.words}':>12}{show_number(verdict.onset_lost_ms, 'ms'):>12}"
            f"{verdict.noise_open_ratio:>12.0%}{verdict.chatter_per_min:>12.1f}"
        )
    if found.choice is not None and found.choice.low_cut is not None and found.low_cut is None:
        choice = found.choice
        print(
            f"A {words_of(choice.low_cut)}, would take {show_number(choice.room_db, 'dB')} off the room "
            f"and {show_number(choice.voice_db, 'dB')} off the voice: --low-cut auto"
        )
    if speakers is not None:
        print(speakers.text)
    for note in (*found.notes, *(row for row in best.notes if row not in found.notes)):
        print(note[:1].upper() + note[1:])


def _speakers(options: argparse.Namespace, best: Any) -> Any:
    if not options.music:
        return None
    from kymaphon.core.dynamics.key import key_of
    from kymaphon.core.dynamics.speakers import speakers_allowed
    from kymaphon.core.dynamics.study import loudest_channel
    from kymaphon.files.takes import take_file

    music = take_file(options.music, partial=options.partial)
    channel = loudest_channel(music)
    key = key_of((block[:, channel] for block in music.blocks()), music.sample_rate_hz)
    try:
        return speakers_allowed(best.gate, key)
    except ValueError as error:
        raise FileProblem(music.path, str(error)) from error


def _render(options: argparse.Namespace, take: Any, found: Any, trial: Any, gate: Any) -> None:
    from kymaphon.core.dynamics.chain import stream_gate
    from kymaphon.core.dynamics.envelope import gate_turns
    from kymaphon.core.dynamics.key import KeyMeter
    from kymaphon.core.dynamics.study import key_filters
    from kymaphon.files.takes import write_blocks

    channel = found.channel - 1
    samples, turned = found.talk.key.samples, trial.turns(gate)
    if take.frames // samples > turned.steps:
        # What was studied ends after an hour; the sound does not.
        meter = KeyMeter(take.sample_rate_hz, key_filters(take, found.low_cut, gate))
        for block in take.blocks():
            meter.add(block[:, channel])
        key = meter.result()
        turned = gate_turns(key.detector(gate.detector, gate.detector_ms), gate, key.step_s)
    sound = (block[:, channel] for block in take.blocks())
    gated = stream_gate(sound, found.low_cut, gate, turned, samples, take.sample_rate_hz)
    write_blocks(options.render, gated, 1, take.sample_rate_hz, about=f"gated: {take.name}")


def _preset(options: argparse.Namespace, found: Any, best: Any) -> None:
    from kymaphon.core.dynamics.preset import preset_text
    from kymaphon.files.preset_file import write_text

    chain = (*((found.low_cut,) if found.low_cut else ()), best.gate)
    write_text(options.preset, preset_text(chain, name=Path(options.file).name, at="where the take was recorded"))
