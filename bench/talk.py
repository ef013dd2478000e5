"""Talk measured: its rules on many people and circuits, the schedule, the allotment. Against a yardstick of the same run."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from typing import Any

from kymaphon.core.analysis.analyse import figures_of
from kymaphon.core.model.catalogue.loader import expand
from kymaphon.core.model.show import Show
from kymaphon.core.rules import RULES
from kymaphon.core.work.allotment import Channel, DeskPlan, Source, allot
from kymaphon.core.work.network import Job
from kymaphon.core.work.schedule import Hand, schedule


def many_circuits(people: int = 40, circuits: int = 12, each: int = 10, seed: int = 1) -> Show:
    """People with packs on a large matrix, ten on each circuit."""
    chance = random.Random(seed)
    line = {"domain": "analog", "level": "line", "connector": "xlr", "impedance_ohm": 20000, "max_db": 20}
    paths: list[dict[str, Any]] = []
    keys: list[dict[str, Any]] = []
    for m in range(1, circuits + 1):
        paths.append({"each": [1, people], "from": "in{n}", "to": f"c{m}"})
        paths.append({"each": [1, people], "from": f"c{m}", "to": "out{n}", "switch": True, "on": False})
        keys.append(
            {
                "each": [1, people],
                "id": f"k{{n}}-{m}",
                "name": f"Key {{n}} to {m}",
                "programmed": True,
                "closes": [f"in{{n}}>c{m}"],
                "action": "either",
            }
        )
    kind = expand(
        {
            "id": "big-matrix",
            "name": "Large matrix",
            "group": "talkback",
            "inside_max_dbu": 22,
            "inputs": [{"each": [1, people], "id": "in{n}", "name": "input {n}", **line}],
            "outputs": [{"each": [1, people], "id": "out{n}", "name": "output {n}", **line}],
            "buses": [{"each": [1, circuits], "id": "c{n}", "name": "circuit {n}"}],
            "paths": paths,
            "keys": keys,
        }
    )
    members = {m: sorted(chance.sample(range(1, people + 1), each)) for m in range(1, circuits + 1)}
    settings = {f"c{m}>out{n}": {"on": True} for m, rows in members.items() for n in rows}
    places = [
        {
            "id": f"place-{i}",
            "name": f"Place {i}",
            "size_m": [30, 20],
            "ambient_dba": 62,
            "noise": "crowd",
            "outdoors": True,
        }
        for i in range(8)
    ]
    parties: list[dict[str, Any]] = []
    devices: list[dict[str, Any]] = []
    cables: list[dict[str, Any]] = []
    for n in range(1, people + 1):
        where = f"place-{n % 8}"
        parties.append(
            {
                "id": f"p{n}",
                "name": f"Person {n}",
                "kind": "crew",
                "place": where,
                "at_m": [1 + n % 25, 2 + n % 15],
                "speaks": True,
                "listens": True,
                "hears_on": f"set-{n}",
                "effort": "raised",
            }
        )
        devices += [
            {"id": f"pack-{n}", "kind": "beltpack", "place": where, "settings": {"talk": {"on": True}}},
            {"id": f"set-{n}", "kind": "talk-headset", "place": where, "party": f"p{n}"},
        ]
        cables += [
            {"from": f"set-{n}.mic", "to": f"pack-{n}.headset-mic"},
            {"from": f"pack-{n}.phones", "to": f"set-{n}.in"},
            {"from": f"pack-{n}.line-out", "to": f"matrix.in{n}", "length_m": 50},
            {"from": f"matrix.out{n}", "to": f"pack-{n}.line-in", "length_m": 50},
        ]
    devices.append({"id": "matrix", "kind": "big-matrix", "place": "place-0", "settings": settings})
    devices.append({"id": "line", "kind": "studio-line", "place": "place-0"})
    parties.append({"id": "air", "name": "Air", "kind": "audience", "listens": True, "hears_on": "line"})
    rows = [
        {
            "id": f"c{m}",
            "name": f"Circuit {m}",
            "members": [
                {"party": f"p{n}", "key": f"matrix.k{n}-{m}", "action": "momentary", "acts": True} for n in found
            ],
        }
        for m, found in members.items()
    ]
    return Show.model_validate(
        {
            "kymaphon": 1,
            "title": "Many circuits",
            "places": places,
            "parties": parties,
            "devices": devices,
            "cables": cables,
            "circuits": rows,
            "kinds": [kind],
        }
    )


def many_tasks(jobs: int = 60, hands: int = 6, seed: int = 1) -> tuple[list[Job], list[Hand]]:
    """Tasks with an order, people and skills."""
    chance = random.Random(seed)
    crew = [Hand(f"h{n}", chance.choice([0, 0, 0, 20])) for n in range(hands)]
    names = [row.id for row in crew]
    rows = []
    for n in range(jobs):
        can = tuple(sorted(chance.sample(names, chance.randint(hands // 2, hands))))
        people = chance.choice([1, 1, 1, 2]) if len(can) > 1 else 1
        who = (chance.choice(can),) if chance.random() < 0.2 else ()
        after = tuple(f"j{m}" for m in range(n) if chance.random() < 2 / jobs)
        rows.append(Job(f"j{n}", chance.choice([5, 10, 15, 20, 30, 45]), after, people, who, can))
    return rows, crew


def many_sources(count: int = 40, seed: int = 1) -> tuple[list[Source], DeskPlan]:
    """Sources of every family for a desk of twenty microphone and four line channels."""
    chance = random.Random(seed)
    families = ["commentary"] * 4 + ["effects"] * 14 + ["crowd"] * 8 + ["music"] * 8 + ["returns"] * 6
    rows = []
    for n, family in enumerate(families[:count]):
        mic = family in ("commentary", "effects", "crowd") or chance.random() < 0.5
        rows.append(
            Source(
                f"s{n}", f"Source {n}", family, "mic" if mic else "line", family == "music" and chance.random() < 0.5
            )
        )
    channels = tuple(Channel(f"in{n}", f"channel {n}", ("mic", "line") if n <= 20 else ("line",)) for n in range(1, 25))
    return rows, DeskPlan("desk", "Desk", channels, tuple((f"group{n}", f"group {n}") for n in (1, 2, 3)))


def bench_talk() -> None:
    """Rules of Talk on 40 people and 12 circuits, 60 tasks and 6 people, 40 sources to 24 channels."""
    from run import yardstick_ms

    show = many_circuits()
    figures_of(show)
    rules = []
    for _ in range(5):
        figures = figures_of(show)

        def judge(figures: Any = figures) -> None:
            for rule in RULES:
                if rule.stage == "Talk":
                    list(rule.check(figures))

        rules.append(_timed(judge))
    print(f"Talk's rules, 40 people on 12 circuits: {sorted(rules)[2] * 1000:.0f} ms (goal 200)")
    jobs, hands = many_tasks()
    taken = _timed(lambda: schedule(jobs, hands))
    plan = schedule(jobs, hands)
    print(f"60 tasks for 6 people: {taken:.1f} s (goal 5), {plan.end:.0f} min, bound {plan.bound:.0f} min")
    import scipy.optimize  # noqa: F401 - is read once a session

    sources, desk = many_sources()
    taken = _timed(lambda: allot(sources, desk))
    found = allot(sources, desk)
    quality = "proven" if found.proven else f"bound {found.bound / found.cost:.1%}"
    print(f"40 sources to 24 channels: {taken:.1f} s (goal 2), {quality}; yardstick {yardstick_ms():.1f} ms")


def _timed(run: Callable[[], object]) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start
