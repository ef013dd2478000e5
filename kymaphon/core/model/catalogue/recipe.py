"""The user's own microphones, players and desks in a dozen figures each: what a form or a row of a list can hold."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from kymaphon.core.model.base import Identifier, Model
from kymaphon.core.model.catalogue.kind import Bus, Kind, Microphone, OutputStage, Path, Pattern, Port, Strip
from kymaphon.core.model.catalogue.parts import Power

CONSUMER_DBU = -7.78
"""-10 dBV in dBu: what a player's line output is made for."""
PATTERNS: tuple[str, ...] = get_args(Pattern)
STAGES: tuple[str, ...] = get_args(OutputStage)


class MicrophoneRecipe(Model):
    """A microphone."""

    group: Literal["microphone"] = "microphone"
    id: Identifier
    name: Annotated[str, Field(min_length=1, max_length=80)]
    about: Annotated[str, Field(max_length=400)] = ""
    pattern: Pattern = "cardioid"
    sensitivity_dbv_pa: Annotated[float, Field(ge=-120, le=20)] = -55.0
    self_noise_dba: Annotated[float | None, Field(ge=-10, le=80)] = None
    max_db_spl: Annotated[float, Field(ge=60, le=190)] = 140.0
    impedance_ohm: Annotated[float, Field(ge=1, le=100000)] = 200.0
    output_stage: OutputStage | None = None
    phantom_ma: Annotated[float | None, Field(gt=0, le=20)] = None
    phantom_least_v: Annotated[float | None, Field(gt=0, le=52)] = None
    nearest_m: Annotated[float, Field(gt=0, le=50)] = 0.1
    farthest_m: Annotated[float, Field(gt=0, le=100)] = 0.4
    worn: Literal["chest", "head"] | None = None

    @model_validator(mode="after")
    def _range_is_one(self) -> MicrophoneRecipe:
        if self.nearest_m >= self.farthest_m:
            raise ValueError("the nearest distance must lie below the farthest")
        return self

    def kind(self) -> Kind:
        """The kind that this describes."""
        return Kind(
            id=self.id,
            name=self.name,
            about=self.about,
            group="microphone",
            microphone=Microphone(
                pattern=self.pattern,
                sensitivity_dbv_pa=self.sensitivity_dbv_pa,
                self_noise_dba=self.self_noise_dba,
                nearest_m=self.nearest_m,
                farthest_m=self.farthest_m,
                worn=self.worn,
            ),
            inputs=(Port(id="diaphragm", name="diaphragm", domain="acoustic", level="sound", max_db=self.max_db_spl),),
            outputs=(
                Port(
                    id="out",
                    name="output",
                    domain="analog",
                    level="mic",
                    connector="xlr",
                    impedance_ohm=self.impedance_ohm,
                    output_stage=self.output_stage,
                    phantom_ma=self.phantom_ma,
                    phantom_least_v=self.phantom_least_v,
                ),
            ),
            paths=(Path(source="diaphragm", target="out"),),
        )


class PlayerRecipe(Model):
    """A player of music or jingles with one stereo line output."""

    group: Literal["player"] = "player"
    id: Identifier
    name: Annotated[str, Field(min_length=1, max_length=80)]
    about: Annotated[str, Field(max_length=400)] = ""
    stereo: bool = True
    max_dbu: Annotated[float, Field(ge=-30, le=30)] = 6.0
    impedance_ohm: Annotated[float, Field(ge=1, le=100000)] = 470.0

    def kind(self) -> Kind:
        """The kind that this describes."""
        out = Port(
            id="out",
            name="output",
            domain="analog",
            stereo=self.stereo,
            level="line",
            connector="phono",
            nominal_dbu=CONSUMER_DBU,
            impedance_ohm=self.impedance_ohm,
            max_db=self.max_dbu,
        )
        return Kind(
            id=self.id,
            name=self.name,
            about=self.about,
            group="player",
            power=Power(by=("adaptor",)),
            outputs=(out,),
        )


class DeskRecipe(Model):
    """An analogue desk: microphone channels, then line channels, a stereo main mix, sends before or after the fader."""

    group: Literal["desk"] = "desk"
    id: Identifier
    name: Annotated[str, Field(min_length=1, max_length=80)]
    about: Annotated[str, Field(max_length=400)] = ""
    mic_channels: Annotated[int, Field(ge=0, le=64)] = 4
    line_channels: Annotated[int, Field(ge=0, le=64)] = 2
    sends: Annotated[int, Field(ge=0, le=16)] = 1
    mic_gain_db: Annotated[float, Field(ge=0, le=90)] = 60.0
    ein_dbu: Annotated[float, Field(ge=-132, le=-60)] = -126.0
    max_dbu: Annotated[float, Field(ge=0, le=30)] = 20.0
    output_stage: OutputStage | None = None

    @model_validator(mode="after")
    def _something_goes_in(self) -> DeskRecipe:
        if self.mic_channels + self.line_channels == 0:
            raise ValueError("a desk needs at least one channel")
        return self

    def kind(self) -> Kind:
        """The kind that this describes. Its noise at low gain lies 30 dB higher, as small desks have it."""
        fader = (-90.0, 10.0)
        noise = ((0.0, min(self.ein_dbu + 30, -60.0)), (self.mic_gain_db, self.ein_dbu))
        mic = Strip(
            gain_db=(0.0, self.mic_gain_db),
            phantom=True,
            fader_db=fader,
            mute=True,
            pan=True,
            ein_dbu=noise if self.mic_gain_db else (),
        )
        line = Strip(
            gain_db=(-20.0, 20.0), fader_db=fader, mute=True, pan=True, ein_dbu=((-20.0, -80.0), (20.0, -104.0))
        )
        channels = [("mic", 2400.0, mic)] * self.mic_channels + [("line", 20000.0, line)] * self.line_channels
        inputs, paths = [], []
        sends = [f"send{n}" for n in range(1, self.sends + 1)]
        for n, (level, ohms, strip) in enumerate(channels, start=1):
            inputs.append(
                Port.model_validate(
                    {
                        "id": f"in{n}",
                        "name": f"channel {n}",
                        "domain": "analog",
                        "level": level,
                        "impedance_ohm": ohms,
                        "connector": "xlr" if level == "mic" else "jack-3",
                        "balanced": True if level == "line" else None,
                        "max_db": self.max_dbu,
                        "strip": strip,
                    }
                )
            )
            paths.append(Path(source=f"in{n}", target="main", tap=("post",), switch=True))
            paths += [
                Path(
                    source=f"in{n}",
                    target=send,
                    tap=("post", "pre"),
                    gain_db=(-60.0, 10.0),
                    default_gain_db=0.0,
                    switch=True,
                    on=False,
                )
                for send in sends
            ]
        outputs = [
            Port(
                id="main-out",
                name="main out",
                domain="analog",
                stereo=True,
                connector="xlr",
                max_db=self.max_dbu,
                impedance_ohm=120.0,
                output_stage=self.output_stage,
            ),
            *(
                Port(
                    id=send,
                    name=f"send {n}",
                    domain="analog",
                    connector="jack-3",
                    balanced=True,
                    max_db=self.max_dbu,
                    impedance_ohm=120.0,
                    output_stage=self.output_stage,
                    strip=Strip(fader_db=fader, mute=True),
                )
                for n, send in enumerate(sends, start=1)
            ),
            Port(
                id="phones",
                name="headphones",
                domain="analog",
                stereo=True,
                level="headphone",
                connector="jack-3",
                max_db=16.0,
                impedance_ohm=20.0,
            ),
        ]
        paths += [Path(source="main", target="main-out"), Path(source="main", target="phones", gain_db=-26.0)]
        main = Bus(id="main", name="main mix", stereo=True, strip=Strip(fader_db=fader))
        return Kind(
            id=self.id,
            name=self.name,
            about=self.about,
            group="desk",
            power=Power(by=("mains-earthed",)),
            inside_max_dbu=self.max_dbu,
            residual_dbu=-86.0,
            inputs=tuple(inputs),
            outputs=tuple(outputs),
            buses=(main,),
            paths=tuple(paths),
        )


Recipe = MicrophoneRecipe | PlayerRecipe | DeskRecipe
RECIPES: dict[str, type[Recipe]] = {
    "microphone": MicrophoneRecipe,
    "player": PlayerRecipe,
    "desk": DeskRecipe,
}


def recipe_of(kind: Kind) -> Recipe | None:
    """The recipe that gives just this kind; None for one that is more than a recipe can say."""
    found: Recipe | None = None
    if kind.microphone is not None and kind.is_microphone:
        out, diaphragm, mic = kind.port("out"), kind.port("diaphragm"), kind.microphone
        if out is not None and diaphragm is not None and diaphragm.max_db is not None and out.impedance_ohm is not None:
            found = MicrophoneRecipe(
                id=kind.id,
                name=kind.name,
                about=kind.about,
                pattern=mic.pattern,
                sensitivity_dbv_pa=mic.sensitivity_dbv_pa,
                self_noise_dba=mic.self_noise_dba,
                max_db_spl=diaphragm.max_db,
                impedance_ohm=out.impedance_ohm,
                output_stage=out.output_stage,
                phantom_ma=out.phantom_ma,
                phantom_least_v=out.phantom_least_v,
                nearest_m=mic.nearest_m,
                farthest_m=mic.farthest_m,
                worn=mic.worn,
            )
    elif kind.is_player:
        out = kind.port("out")
        if out is not None and out.max_db is not None and out.impedance_ohm is not None:
            found = PlayerRecipe(
                id=kind.id,
                name=kind.name,
                about=kind.about,
                stereo=out.stereo,
                max_dbu=out.max_db,
                impedance_ohm=out.impedance_ohm,
            )
    elif kind.is_desk:
        found = _desk_recipe(kind)
    return found if found is not None and found.kind() == kind else None


def _desk_recipe(kind: Kind) -> DeskRecipe | None:
    mics = [port for port in kind.inputs if port.level == "mic"]
    lines = [port for port in kind.inputs if port.level == "line"]
    first = next(iter(mics), None)
    strip = first.strip if first is not None else None
    sends = sum(port.id.startswith("send") for port in kind.outputs)
    if not (mics or lines) or len(mics) > 64 or len(lines) > 64 or kind.inside_max_dbu is None:
        return None
    given = {
        "id": kind.id,
        "name": kind.name,
        "about": kind.about,
        "mic_channels": len(mics),
        "line_channels": len(lines),
        "sends": min(sends, 16),
        "max_dbu": kind.inside_max_dbu,
    }
    main = kind.port("main-out")
    if main is not None:
        given["output_stage"] = main.output_stage
    if strip is not None and strip.gain_db is not None:
        given["mic_gain_db"] = strip.gain_db[1]
        if strip.ein_dbu:
            given["ein_dbu"] = strip.ein_dbu[-1][1]
    try:
        return DeskRecipe.model_validate(given)
    except ValueError:
        return None
