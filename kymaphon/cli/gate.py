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
    row.add_argument(
        "--noise", metavar="ROOM", help="a recording of the room alone; left out: the pauses of FILE"
    )
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
    row.add_argument("--detector", choices=("peak", "rms"), default="peak")
    row.add_argument(
        "--look-ahead", type=float, default=0.0, metavar="MS", help="the sound is delayed by this"
    )
    row.add_argument(
        "--range", type=float, metavar="DB", help="taken off when shut; left out: by what matters most"
    )
    row.add_argument(
        "--music", metavar="MUSIC", help="a recording of loudspeakers at the microphone: how loud they may be"
    )
    row.add_argument("--partial", action="store_true", help="take what is there of a WAV that was cut short")


def gate(options: argparse.Namespace) -> int:
    from kymaphon.core.gate.design import design
    from kymaphon.core.gate.settings import Gate
    from kymaphon.core.gate.study import study
    from kymaphon.core.gate.talk import NoTalkError
    from kymaphon.core.take.measure import NotANumberError
    from kymaphon.files.takes import take_file

    take = take_file(options.file, partial=options.partial)
    room = take_file(options.noise, partial=options.partial) if options.noise else None
    if not 0 <= options.look_ahead <= 100:
        raise Unusable("--look-ahead: 0 to 100 ms")
    if options.range is not None and not 0 <= options.range <= 120:
        raise Unusable("--range: 0 to 120 dB")
    like = Gate(detector=options.detector, look_ahead_ms=options.look_ahead)
    try:
        low_cut = _low_cut(options, take, room)
        found = study(take, room, channel=options.channel, low_cut=low_cut)
        best = design(found.talk, options.prefer, like=like, range_db=options.range)
    except NoTalkError as error:
        raise FileProblem(take.path, f"no gate can be set from it: {error}") from error
    except NotANumberError as error:
        raise FileProblem(take.path, "holds samples that are not numbers", f"{error.at_s:.3f} s") from error
    except ValueError as error:
        raise Unusable(str(error)) from error
    speakers = _speakers(options, best)
    if options.render:
        _render(options, take, found, best)
    if options.preset:
        _preset(options, found, best)
    if options.json:
        print_json(gate_json(found, best, speakers))
    else:
        _print(found, best, speakers)
    for name in (options.render, options.preset):
        if name:
            print(f"written: {name}", file=sys.stderr)
    return 0


def _low_cut(options: argparse.Namespace, take: Any, room: Any) -> Any:
    from kymaphon.core.gate.settings import LowCut
    from kymaphon.core.gate.study import study

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


def gate_json(found: Any, best: Any, speakers: Any = None) -> dict[str, Any]:
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
        "eaten": [
            {"word": row.number + 1, "at_s": round(row.at_s, 4), "start_ms": round(row.start_ms, 2), "middle_ms": round(row.middle_ms, 2), "end_ms": round(row.end_ms, 2)}
            for row in verdict.eaten
        ],
        "word_times_s": [[round(word.start_s, 4), round(word.end_s, 4)] for word in talk.words],
        "schools": [
            {"id": id_, "name": name, **(_settings_json(row.gate) if row.gate else {}), **row.figures_json(), "source": source}
            for id_, name, source, row in best.schools
        ],
        "notes": [*found.notes, *(note for note in best.notes if note not in found.notes)],
    }  # fmt: skip
    if found.room is not None:
        out["noise_a_weighted_dbfs"] = round(found.room.weighted_dbfs, 3)
    if found.kind is not None:
        out["noise_kind"] = [sort for sort, _ in found.kind.sorts]
        out["noise_about"] = found.kind.words
    if found.choice is not None:
        choice = found.choice
        out["low_cut_choice"] = {"corner_hz": choice.low_cut.corner_hz, "slope_db_per_octave": choice.low_cut.slope_db_per_octave, "off_room_db": round(choice.room_db, 3), "off_voice_db": round(choice.voice_db, 3)} if choice.low_cut else None  # fmt: skip
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
    }


def _print(found: Any, best: Any, speakers: Any) -> None:
    from kymaphon.core.gate.chain import words_of
    from kymaphon.core.gate.study import study_words

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
        print(f"A {words_of(choice.low_cut)}, would take {show_number(choice.room_db, 'dB')} off the room and {show_number(choice.voice_db, 'dB')} off the voice: --low-cut auto")  # fmt: skip
    if speakers is not None:
        print(speakers.text)
    for note in (*found.notes, *(row for row in best.notes if row not in found.notes)):
        print(note[:1].upper() + note[1:])


def _speakers(options: argparse.Namespace, best: Any) -> Any:
    if not options.music:
        return None
    from kymaphon.core.gate.key import key_of
    from kymaphon.core.gate.speakers import speakers_allowed
    from kymaphon.core.gate.study import loudest_channel
    from kymaphon.files.takes import take_file

    music = take_file(options.music, partial=options.partial)
    channel = loudest_channel(music)
    key = key_of((block[:, channel] for block in music.blocks()), music.sample_rate_hz)
    try:
        return speakers_allowed(best.gate, key)
    except ValueError as error:
        raise FileProblem(music.path, str(error)) from error


def _render(options: argparse.Namespace, take: Any, found: Any, best: Any) -> None:
    from kymaphon.core.gate.chain import run_chain
    from kymaphon.files.takes import excerpt, write_audio

    _beside(options.render, options)
    sound = excerpt(take, 0, take.frames / take.sample_rate_hz, found.channel)
    chain = (*((found.low_cut,) if found.low_cut else ()), best.gate)
    write_audio(
        options.render,
        run_chain(sound, chain, take.sample_rate_hz),
        take.sample_rate_hz,
        about=f"gated: {take.name}",
    )


def _preset(options: argparse.Namespace, found: Any, best: Any) -> None:
    from kymaphon.core.gate.preset import preset_text
    from kymaphon.files.preset_file import write_text

    chain = (*((found.low_cut,) if found.low_cut else ()), best.gate)
    write_text(
        options.preset, preset_text(chain, name=Path(options.file).name, at="where the take was recorded")
    )


def _beside(name: str, options: argparse.Namespace) -> None:
    """Refuses to write over what is being read."""
    for given in (options.file, options.noise, options.music):
        if given and Path(given).exists() and Path(name).exists() and Path(name).samefile(given):
            raise Unusable(f"--render {name}: would write over the recording")
