"""The shot: one document, in sections, in working order."""

import hashlib
import json
from collections.abc import Iterable, Iterator
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from hotgravel.core.drive.ask import Clock
from hotgravel.core.drive.driver import Driver
from hotgravel.core.shot.actions import Enter
from hotgravel.core.shot.bonds import Bonds
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.cut import Cut
from hotgravel.core.shot.dials import Pick, Quantity, Refer, dials_of
from hotgravel.core.shot.faults import Fault, ShotFault, faults_of
from hotgravel.core.shot.finish import Finish
from hotgravel.core.shot.forces import Force
from hotgravel.core.shot.front import Front
from hotgravel.core.shot.liquid import Drip, Fill, Froth, Gas, Liquid, Outlet, Spout
from hotgravel.core.shot.matter import Apart, Collision, Fading, Growth, Skin, State, Streaks, Tint
from hotgravel.core.shot.migrations import VERSION, migrated
from hotgravel.core.shot.naming import free_name
from hotgravel.core.shot.pace import Pace
from hotgravel.core.shot.posed import Posed
from hotgravel.core.shot.props import Prop
from hotgravel.core.shot.rigid import Rigid
from hotgravel.core.shot.row import Clause, Row
from hotgravel.core.shot.slosh import Slosh
from hotgravel.core.shot.smoke import Detail, Drain, Fire, Fume, Puff, Smoke
from hotgravel.core.shot.soft import Balloon, Cloth, Jelly, Sewn
from hotgravel.core.shot.sources import Offshoot, Source
from hotgravel.core.shot.units import Dress
from hotgravel.core.shot.velocity_field import VelocityField
from hotgravel.core.shot.water import Rain, Water
from hotgravel.core.shot.wetness import Wetness
from hotgravel.core.shot.zones import Both, Zone

FORMAT: Literal["hotgravel.shot"] = "hotgravel.shot"
LARGEST = 32 * 1024 * 1024
MOST_ROWS = 500  # of a section
SECTIONS = {
    "set": "Set",
    "matter": "Matter",
    "supply": "Supply",
    "forces": "Forces",
    "cues": "Cues",
    "finish": "Finish",
}
ROW_SECTIONS = tuple(name for name in SECTIONS if name != "finish")
ROWS: tuple[type[Row], ...] = (
    Prop, Zone, VelocityField, Cut, State, Rigid, Bonds, Posed, Cloth, Jelly, Balloon, Sewn, Front, Collision, Growth,
    Fading, Tint, Apart, Skin, Streaks, Smoke, Fire, Detail, Liquid, Froth, Slosh, Water, Wetness, Source, Offshoot,
    Fume, Puff, Drain, Fill, Spout, Outlet, Gas, Drip, Rain, *get_args(Force), Cue,
)  # fmt: skip
SetRow = Annotated[Prop | Zone | VelocityField | Cut, Field(discriminator="kind")]
MatterRow = Annotated[
    State | Rigid | Bonds | Posed | Cloth | Jelly | Balloon | Sewn | Front | Collision | Growth | Fading | Tint | Apart
    | Skin | Streaks | Smoke | Fire | Detail | Liquid | Froth | Slosh | Water | Wetness,
    Field(discriminator="kind"),
]  # fmt: skip
SupplyRow = Annotated[
    Source | Offshoot | Fume | Puff | Drain | Fill | Spout | Outlet | Gas | Drip | Rain, Field(discriminator="kind")
]
ForceRow = Annotated[Force, Field(discriminator="kind")]


Supplied = Source | Offshoot | Fume | Puff | Drain | Fill | Spout | Outlet | Gas | Drip | Rain
Grown = Rigid | Cloth | Jelly | Balloon | Front | Froth | Slosh | Water | Wetness
Origin = Supplied | Grown
LOOKS = {"smoke": ("thickness",), "fire": ("glow",)}  # what only pictures show, beside the looks of all rows


class Shot(BaseModel):
    """What the artist wrote. Immutable: an edit makes another one."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    format: Literal["hotgravel.shot"] = FORMAT
    version: Literal[4] = VERSION
    name: Annotated[str, Field(min_length=1, max_length=80)]
    set: Annotated[tuple[SetRow, ...], Field(max_length=MOST_ROWS)] = ()
    matter: Annotated[tuple[MatterRow, ...], Field(max_length=MOST_ROWS)] = ()
    supply: Annotated[tuple[SupplyRow, ...], Field(max_length=MOST_ROWS)] = ()
    forces: Annotated[tuple[ForceRow, ...], Field(max_length=MOST_ROWS)] = ()
    cues: Annotated[tuple[Cue, ...], Field(max_length=63)] = ()
    finish: Finish = Finish()

    def rows(self) -> Iterator[Row]:
        """All rows in working order, the finish last."""
        for section in ROW_SECTIONS:
            yield from getattr(self, section)
        yield self.finish

    def row(self, row_id: str) -> Row:
        """The row of that id; raises `KeyError`."""
        for row in self.rows():
            if row.id == row_id:
                return row
        raise KeyError(row_id)

    @property
    def props(self) -> list[Prop]:
        """Those that are on."""
        return [row for row in self.set if isinstance(row, Prop) and row.on]

    @property
    def zones(self) -> dict[str, Zone]:
        return {row.id: row for row in self.set if isinstance(row, Zone)}

    @property
    def fields(self) -> dict[str, VelocityField]:
        """Those that are on."""
        return {row.id: row for row in self.set if isinstance(row, VelocityField) and row.on}

    @property
    def cuts(self) -> dict[str, list[Cut]]:
        """Those that are on, in the page's order, by the prop that they cut."""
        found: dict[str, list[Cut]] = {}
        for row in self.set:
            if isinstance(row, Cut) and row.on:
                found.setdefault(row.prop, []).append(row)
        return found

    def files(self) -> list[str]:
        """The names of the files beside the shot that its rows are made from: meshes, drawings, fonts, fields."""
        return sorted({name for row in self.set if (name := file_of(row))})

    @cached_property
    def pace(self) -> Pace:
        """How far the physics comes from frame to frame."""
        return Pace.of(self.finish)

    @property
    def clock(self) -> Clock:
        return Clock(self.finish.first, self.finish.rate)

    @property
    def states(self) -> list[State]:
        return [row for row in self.matter if isinstance(row, State)]

    @property
    def particle_sources(self) -> list[Source | Offshoot]:
        """The rows that particles come from."""
        return [row for row in self.supply if isinstance(row, Source | Offshoot)]

    @property
    def origins(self) -> list[Origin]:
        """The rows that elements come from; an element's `source` counts in them."""
        return [
            *self.supply,
            *(
                row
                for row in self.matter
                if isinstance(row, Rigid | Cloth | Jelly | Balloon | Front | Froth | Slosh | Water | Wetness)
            ),
        ]

    @property
    def rigid(self) -> list[Rigid]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Rigid) and row.on]

    @property
    def soft(self) -> list[Cloth | Jelly | Balloon]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Cloth | Jelly | Balloon) and row.on]

    @property
    def seams(self) -> list[Sewn]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Sewn) and row.on]

    @property
    def fronts(self) -> list[Front]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Front) and row.on]

    @property
    def shaped(self) -> list[Rigid | Cloth | Jelly | Balloon | Front]:
        """The rows that are on and make a prop into matter."""
        return [*self.rigid, *self.soft, *self.fronts]

    @property
    def bonds(self) -> list[Bonds]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Bonds) and row.on]

    @property
    def smokes(self) -> list[Smoke]:
        """Those that are on; a run has but one."""
        return [row for row in self.matter if isinstance(row, Smoke) and row.on]

    @property
    def fumes(self) -> list[Fume]:
        """Those that are on."""
        return [row for row in self.supply if isinstance(row, Fume) and row.on]

    @property
    def puffs(self) -> list[Puff]:
        """Those that are on."""
        return [row for row in self.supply if isinstance(row, Puff) and row.on]

    @property
    def smoke_sources(self) -> list[Fume | Puff]:
        """Those that are on, in the order in which smoke counts what is of each."""
        return [*self.fumes, *self.puffs]

    @property
    def fires(self) -> list[Fire]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Fire) and row.on]

    @property
    def collisions(self) -> list[Collision]:
        return [row for row in self.matter if isinstance(row, Collision)]

    @property
    def liquids(self) -> list[Liquid]:
        """Those that are on; a run has but one."""
        return [row for row in self.matter if isinstance(row, Liquid) and row.on]

    @property
    def froths(self) -> list[Froth]:
        """Those that are on; a run has but one."""
        return [row for row in self.matter if isinstance(row, Froth) and row.on]

    @property
    def skins(self) -> list[Skin]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Skin) and row.on]

    @property
    def waters(self) -> list[Water]:
        """Those that are on; a run has but one."""
        return [row for row in self.matter if isinstance(row, Water) and row.on]

    @property
    def rains(self) -> list[Rain]:
        """Those that are on."""
        return [row for row in self.supply if isinstance(row, Rain) and row.on]

    @property
    def sloshes(self) -> list[Slosh]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Slosh) and row.on]

    @property
    def wetted(self) -> list[Wetness]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Wetness) and row.on]

    @property
    def surfaces(self) -> list[Skin | Liquid | Slosh | Water | Wetness]:
        """The rows that are on and make a mesh of each frame."""
        return [*self.skins, *self.liquids, *self.sloshes, *self.waters, *self.wetted]

    @property
    def streaks(self) -> list[Streaks]:
        """Those that are on."""
        return [row for row in self.matter if isinstance(row, Streaks) and row.on]

    @property
    def dress(self) -> Dress:
        """How this shot shows and reads numbers."""
        return Dress(self.finish.lengths, self.finish.rate)

    def names(self) -> dict[str, str]:
        """Row id to what sentences call it: the name that it was given, or one that its sentence makes."""
        return self._names

    @cached_property
    def _names(self) -> dict[str, str]:
        names = {row.id: row.name for row in self.rows() if row.name}
        taken = {name.casefold() for name in names.values()}
        for row in self.rows():
            if row.id not in names:
                names[row.id] = free_name(row.called(self.dress, names), taken)
                taken.add(names[row.id].casefold())
        return names

    def named_by(self, rows: Iterable[Row]) -> list[Row]:
        """The rows that some rows name, that those name in turn, and so on; they themselves are not among them."""
        by_id = {row.id: row for row in self.rows()}
        seen, ahead = {row.id for row in rows}, list(rows)
        found: list[Row] = []
        while ahead:
            for name in _strings(ahead.pop().model_dump(mode="json", exclude={"id", "name", "group"})):
                if name in by_id and name not in seen:
                    seen.add(name)
                    found.append(by_id[name])
                    ahead.append(by_id[name])
        return found

    def dump(self) -> dict[str, Any]:
        """The document as plain JSON data."""
        return self.model_dump(mode="json")


def _strings(here: Any) -> Iterator[str]:
    """All words in plain JSON data."""
    if isinstance(here, str):
        yield here
    for part in here.values() if isinstance(here, dict) else here if isinstance(here, list) else ():
        yield from _strings(part)


def file_of(row: Row) -> str | None:
    """The file beside the shot that a row is made from, if it is."""
    name: str | None = getattr(row if isinstance(row, VelocityField) else getattr(row, "shape", None), "file", None)
    return name


def load(source: str | bytes | dict[str, Any] | Path) -> Shot:
    """A shot from JSON text, plain data or a file. Raises `ShotFault`, which says what is wrong."""
    document = _parse(source)
    if document.get("format") != FORMAT:
        raise ShotFault([Fault("", "format", f'This is not a shot file. Accepted: "format": "{FORMAT}".')])
    try:
        document = migrated(document, {cls.model_fields["kind"].default: cls.title.replace(" ", "-") for cls in ROWS})
    except RecursionError:
        raise ShotFault.of("Nested too deeply for a shot.") from None
    try:
        shot = Shot.model_validate(document)
    except ValidationError as error:
        raise ShotFault(faults_of(error, document)) from None
    faults = list(faults_between(shot))
    if faults:
        raise ShotFault(faults)
    return shot


def _parse(source: str | bytes | dict[str, Any] | Path) -> dict[str, Any]:
    if isinstance(source, dict):
        return source
    if isinstance(source, Path):
        source = source.read_bytes()
    if len(source) > LARGEST:
        raise ShotFault.of(f"The file is over {LARGEST // 2**20} MiB. A shot is text of a few pages.")
    try:
        document = json.loads(source)
    except UnicodeDecodeError:
        raise ShotFault.of("The file is not text in UTF-8, so it is no shot.") from None
    except json.JSONDecodeError as error:
        raise ShotFault.of(f"Not JSON: {error.msg} at line {error.lineno}, column {error.colno}.") from None
    except RecursionError:
        raise ShotFault.of("Nested too deeply for a shot.") from None
    except ValueError:
        raise ShotFault.of(
            "The file holds a whole number of thousands of digits, which is no number of a shot."
        ) from None
    if not isinstance(document, dict):
        raise ShotFault.of("A shot is a JSON object with sections.")
    return document


def faults_between(shot: Shot) -> Iterator[Fault]:
    """What no single field shows: ids used twice, references to nothing, fields at odds."""
    kinds: dict[str, str] = {}
    for row in shot.rows():
        if row.id in kinds:
            yield Fault(row.id, "id", "Another row has this id. Each row needs its own.")
        kinds[row.id] = row.kind  # type: ignore[attr-defined]
    for row in shot.rows():
        yield from _clause_faults(row, row.id, "", kinds)
    yield from _between_matters(shot)
    yield from _loops(shot)
    yield from _unprintable(shot)
    yield from _double_names(shot)


def _double_names(shot: Shot) -> Iterator[Fault]:
    """Rows of one kind that are called the same."""
    taken: dict[tuple[str, str], str] = {}
    for row in shot.rows():
        if not row.name:
            continue
        first = taken.setdefault((row.kind, row.name.casefold()), row.id)  # type: ignore[attr-defined]
        if first != row.id:
            yield Fault(row.id, "name", f"Another {row.title} is called {row.name}. Accepted: a name of its own.")


def _unprintable(shot: Shot) -> Iterator[Fault]:
    """Names that would break a file's head or a table's line."""
    accepted = "It holds a line break or a control character. Accepted: letters, digits, marks and spaces."
    if not shot.name.isprintable():
        yield Fault("", "name", accepted)
    for row in shot.rows():
        for field in ("name", "group"):
            if not (getattr(row, field) or "").isprintable():
                yield Fault(row.id, field, accepted)


def _between_matters(shot: Shot) -> Iterator[Fault]:
    """Cues that would let one matter into a state of another."""
    of = {state.id: state.of for state in shot.states}
    for cue in shot.cues:
        for field, act in cue.acts():
            if isinstance(act, Enter) and cue.whom in of and of.get(act.state, of[cue.whom]) != of[cue.whom]:
                said = f"What is in {cue.whom} is not what can be in {act.state}. Accepted: a state of the same matter."
                yield Fault(cue.id, f"{field}.state", said)


def _loops(shot: Shot) -> Iterator[Fault]:
    """Zones that are made of themselves, through others or at once."""
    zones = shot.zones

    def needs(zone: str) -> list[str]:
        shape = zones[zone].shape
        made_of = [shape.first, shape.second] if isinstance(shape, Both) else []
        return [z for z in made_of if z in zones]

    for start in zones:
        seen, ahead = set[str](), needs(start)
        while ahead:
            zone = ahead.pop()
            if zone == start:
                yield Fault(start, "shape", "This zone is made of itself. Accepted: zones that do not lead back to it.")
                break
            if zone not in seen:
                seen.add(zone)
                ahead += needs(zone)


def _clause_faults(clause: Clause, row: str, prefix: str, kinds: dict[str, str]) -> Iterator[Fault]:
    for field, message in clause.complaints():
        yield Fault(row, prefix + field, message)
    for name, described in dials_of(type(clause)).items():
        value = getattr(clause, name)
        if isinstance(described, Quantity):
            for axis, part in enumerate(value if described.three else (value,)):
                if isinstance(part, Driver):
                    where = f"{prefix}{name}.{axis}." if described.three else f"{prefix}{name}."
                    yield from _clause_faults(part, row, where, kinds)
        elif isinstance(described, Pick):
            yield from _clause_faults(value, row, f"{prefix}{name}.", kinds)
        elif isinstance(described, Refer):
            for target in value if described.many else [value]:
                if target is not None and not described.fits(kinds.get(target)):
                    yield Fault(row, prefix + name, _no_such(target, described, kinds))


def _no_such(target: str, described: Refer, kinds: dict[str, str]) -> str:
    there = [i for i, kind in kinds.items() if described.fits(kind)]
    accepted = ", ".join(there) if there else f"add a {described.to} first"
    what = f"{target!r} is a {kinds[target]}" if target in kinds else f"There is no row {target!r}"
    return f"{what}, and a {described.to} is wanted here. Accepted: {accepted}."


def paint_kept(shot: Shot) -> set[str]:
    """The rows whose paint frames keep: states where skins take over colours, props that are bodies, and liquid."""
    states = {state.id for state in shot.states} if shot.skins else set()
    liquid = (*shot.liquids, *shot.froths, *shot.sloshes, *shot.waters, *shot.wetted)
    return states | {row.prop for row in shot.shaped} | {row.id for row in liquid}


def fingerprint(shot: Shot, *extra: str) -> str:
    """A hash of all that can change the result: names are left out, and paint that frames do not keep."""
    document, kept = shot.dump(), paint_kept(shot)
    document.pop("name")
    document["finish"].pop("lengths")
    document["finish"].pop("quality")  # handed in with the run's own
    for shown in ("retime", "light", "exposure", "focus", "aperture"):
        document["finish"].pop(shown)
    document["matter"] = [
        row for row in document["matter"] if row["kind"] != "streaks" and (row["kind"] != "detail" or row["on"])
    ]
    for section in ROW_SECTIONS:
        for row in document[section]:
            row.pop("name", None)
            row.pop("group", None)
            if section not in ("set", "matter"):
                continue
            if row["id"] not in kept:
                row.pop("colour", None)
            for look in ("shine", "seen", "look", "shown", *LOOKS.get(row["kind"], ())):
                row.pop(look, None)
    text = json.dumps([document, extra], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()
