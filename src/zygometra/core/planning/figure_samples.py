"""What the figures of a build may truly be: columns of draws, or the stated values alone.

Every array has a row for each draw and a column for each hole in the order of the build.
Lengths in mm, areas in mm², volumes in cc.
"""

# long: one table of figures, as stated or drawn
from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np

from ..build.cut_log import FACES
from ..build.means import FittedPart
from ..build.model import Build
from ..quantity import Distribution, Quantity, Source, parts_of_doubt
from ..stack.arithmetic import circle_area
from ..stack.chamber import StepFilledChamber
from ..stack.in_hole import PLACES, figures_in
from ..stack.kernel import (
    Chamfer,
    Crown,
    Figures,
    HoleVolumes,
    closing,
    held_by_gasket,
    milled_at_rate,
    milled_opening,
    swept_volume,
    uncut,
)
from ..stack.sources import HEAD_BEGUN, engine_sources, hole_sources, with_heads_swapped
from ..uncertainty import in_hole
from ..usual_figures import USUAL_LAND
from .quasi_random import QuasiRandomSample, Table
from .shrinkage import HoleReading, of_hole, scatter_between, shrunk

READ, CHAMBER = "mock-up.deck_clearance", "parts.head.chamber_volume"


class UncutHoles(NamedTuple):
    """Every hole before anything is cut, with some parts fitted; not a number where a figure is not known.

    ``clearance`` of the rim; ``closed`` is the clearance volume without gasket and deck: chamber,
    crown, crevice, other pockets. ``ring`` is the area round the top land, nought where it is not known. ``dish`` is
    what dish and pockets hold in cc, infinite where no end of them is known, ``edge`` the chamfer of the bores.
    ``to_cone``, ``begun`` and ``untold`` of a dish as in :class:`..stack.kernel.Crown`.
    """

    clearance: Table
    closed: Table
    area: Table
    swept: Table
    ring: Table
    land_height: Table
    above_rim: Table
    above_area: Table
    dish_area: Table
    dish: Table
    pocket: Table
    gasket: Table
    gasket_volume: Table
    edge: Chamfer | None
    to_cone: Table | None
    begun: Table | None
    untold: Table | None

    @property
    def hole(self) -> HoleVolumes:
        """The holes as the kernel takes them; in mm, mm² and cc."""
        pocket, shape = self.pocket if self.pocket.any() else None, shape_of(self)
        return HoleVolumes(
            clearance=self.clearance,
            area=self.area,
            chamber=self.closed,
            crown=0.0,
            crevice=0.0,
            other=0.0,
            ring=self.ring,
            shape=shape,
            pocket=pocket,
            edge=self.edge,
        )


def shape_of(holes: Any) -> Crown:
    """Return the crowns of holes, of all or of one bank, as a flat cut meets them.

    Parameters
    ----------
    holes : UncutHoles, or one bank of it
        Uncut: lengths in mm, areas in mm², volumes in cc.
    """
    return Crown(*(getattr(holes, name) for name in Crown._fields))


def dish_depth(dish_area: Table, dish: Table) -> Table:
    """Return how deep dishes are with straight walls in mm, infinite where no end of them is known (trade.md 6).

    Parameters
    ----------
    dish_area, dish : array
        In mm² and cc.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(dish_area > 0, dish * 1000 / dish_area, math.inf)


class FigureSamples:
    """The figures of a build, hole by hole, as they are stated or as they may truly be.

    Parameters
    ----------
    build : Build
        Its plan does not count.
    draws : QuasiRandomSample or None
        Where the truth is drawn from; None for the stated values, one row.

    Notes
    -----
    A source is drawn once for all that share it: rectangular where a half-width is known, normal for a
    standard uncertainty, Student's t for readings; everything that rests on one pooled scatter is wider
    or narrower together. Where the build states how far holes stand off their bank's line or mean, what
    was read hole by hole is drawn back to it (:mod:`.shrinkage`).
    See trade.md 11.
    """

    def __init__(self, build: Build, draws: QuasiRandomSample | None = None) -> None:
        self.build = build
        self.draws = draws
        self.rows = draws.points if draws else 1
        self.holes = build.cylinders
        wide = engine_sources(build)
        self.sources = {
            number: hole_sources(build, bank.name, number, wide)
            for bank in build.banks
            for number in bank.cylinders
        }
        if draws is not None:
            draws.lay_out(_sources_of_doubt(self))
        self._tables: dict[tuple[Any, ...], tuple[tuple[Source | None, ...], Table]] = {}
        self._read: dict[tuple[str, int], Table] = self._shrunk() if draws and build.between_holes else {}
        # What gaskets that a plan fits come to: the same ones come again and again.
        self.gaskets: dict[tuple[Any, ...], tuple[Table, Table, list[Any]]] = {}
        self._plain: dict[tuple[str, float, bool], Table] = {}
        self._bases: dict[tuple[tuple[int, ...], bool], UncutHoles] = {}

    # -- figures ---------------------------------------------------------------

    def column(self, source: Source, number: int) -> Table:
        """Return one figure of one hole: its value, and what it may be off.

        Parameters
        ----------
        source : Source
            The figure, and where it stands.
        number : int
            The hole; no unit.
        """
        return source.quantity.value + self.error(source, number)

    def error(self, source: Source, number: int, *, shared: bool = True) -> Table:
        """Return what a figure may be off, in its base unit (trade.md 11).

        Parameters
        ----------
        source : Source
            The figure, and where it stands.
        number : int
            The hole; no unit.
        shared : bool
            False leaves out what other holes share with it.
        """
        off = np.zeros(self.rows)
        draws, quantity = self.draws, source.quantity
        if draws is None or not quantity.u:
            return off
        for term in quantity.terms:
            if shared or term.cause.is_of_its_place_alone:
                key = in_hole(term, number).key
                off = off + term.u * self._drawn(key, Distribution.of(term.rectangular), term.dof, term.pool)
        if not quantity.terms:
            for (u, shape, dof), key in zip(parts_of_doubt(quantity), _keys_of(source, number), strict=True):
                off = off + u * self._drawn(key, shape, dof, None)
        return off

    def _drawn(self, key: str, shape: Distribution, dof: float, pool: str | None) -> Table:
        assert self.draws is not None
        if shape is Distribution.RECTANGULAR:
            return self.draws.rectangular(key)
        if pool is not None and not math.isinf(dof):
            return self.draws.normal(key) * self.draws.scale(_scatter(pool), dof)
        return self.draws.student(key, dof)

    def _table(
        self, name: str, sources: Mapping[int, Mapping[str, Source]], default: float = math.nan
    ) -> Table:
        """A figure of every hole; the same sources are asked once."""
        own = tuple(sources[number].get(name) for number in self.holes)
        key = (name, default, *map(id, own))
        if key not in self._tables:
            # The sources stay with the table: no other may come to have their place in memory.
            self._tables[key] = own, self._columns(name, own, default)
        return self._tables[key][1]

    def _columns(self, name: str, own: tuple[Source | None, ...], default: float) -> Table:
        columns, known = [], {}
        for number, source in zip(self.holes, own, strict=True):
            if source is None:
                columns.append(np.full(self.rows, default))
            elif self._read and name in (READ, CHAMBER) and (read := self._own(source, name)) is not None:
                columns.append(read)
            elif source.quantity.each:
                columns.append(self.column(source, number))
            else:
                if source.doubt_key not in known:
                    known[source.doubt_key] = self.column(source, number)
                columns.append(known[source.doubt_key])
        # Hole by hole in memory: most of what follows goes over holes.
        return np.stack(columns).T

    def _own(self, source: Source, name: str) -> Table | None:
        """What was read of a figure in the hole that it came from: another where heads changed sides."""
        number = next((n for n in self.holes if self.sources[n].get(name) is source), 0)
        return self._read.get((name, number))

    # -- bases -----------------------------------------------------------------

    # long: a table: each figure that the arithmetic of a hole wants, in its order
    def base(self, parts: tuple[FittedPart, ...] = (), *, swapped: bool = False) -> UncutHoles:
        """Return every hole with some parts fitted and the heads where they are, or side for side.

        Parameters
        ----------
        parts : tuple of FittedPart
            One of a kind.
        swapped : bool
            True with the heads side for side.
        """
        key = (tuple(id(part) for part in parts), swapped)
        if key in self._bases:
            return self._bases[key]
        sources = with_heads_swapped(self.build, self.sources) if swapped else self.sources
        new = _figures_of(parts)

        def get(name: str, default: float = math.nan) -> Table:
            return self._figure(name, default, sources, new, swapped=swapped)

        f = Figures(
            bore=get("parts.block.bore"),
            stroke=get("parts.crank.stroke"),
            rod_length=get("parts.rod.length"),
            compression_height=get("parts.piston.compression_height"),
            deck_height=get("parts.block.deck_height"),
            chamber_volume=get(CHAMBER),
            other_volume=get("parts.head.other_volume", 0.0),
            crown_volume=get("parts.piston.crown_volume"),
            dish_area=get("parts.piston.dish_area", 0.0),
            land_diameter=get("parts.piston.top_land_diameter"),
            land_height=get("parts.piston.top_land_height"),
            pocket_area=get("parts.block.pocket_area", 0.0),
        )
        # Nought is no reading: it says that nothing stands above the rim.
        nothing = np.array(
            [_is_nought(sources[number], new, "parts.piston.above_rim") for number in self.holes]
        )
        above_rim = np.where(nothing, 0.0, np.maximum(get("parts.piston.above_rim", 0.0), 0.0))
        above_area = np.where(above_rim > 0, get("parts.piston.above_rim_area"), 0.0)
        f = f._replace(above_rim=above_rim, above_area=above_area, **self._dishes(sources, parts, get))
        if any(_EDGE in own or _EDGE_ANGLE in own for own in sources.values()):
            f = f._replace(edge_width=np.maximum(get(_EDGE), 0.0), edge_angle=get(_EDGE_ANGLE))
            # A width of nought is a sharp edge, whatever its angle.
            f = f._replace(edge_angle=np.where(f.edge_width == 0, 45.0, f.edge_angle))
        h = uncut(f)
        known = ~np.isnan(h.crevice)
        swept, given = swept_volume(f), get("parts.block.swept_volume")
        crevice = np.where(known, h.crevice, self._unknown_land(f.bore))
        thickness, volume = self._gaskets_there(sources, swapped=swapped)
        base = UncutHoles(
            clearance=self._clearance(sources, parts, h.clearance, get),
            closed=h.chamber + h.other + h.crown + crevice,
            area=h.area,
            swept=np.where(np.isnan(swept), given, swept),
            ring=np.where(known, h.ring, 0.0),
            land_height=f.land_height,
            above_rim=h.shape.above_rim,
            above_area=h.shape.above_area,
            dish_area=h.shape.dish_area,
            dish=h.shape.dish,
            pocket=h.pocket,
            gasket=thickness,
            gasket_volume=volume,
            edge=h.edge,
            to_cone=h.shape.to_cone,
            begun=h.shape.begun,
            untold=h.shape.untold,
        )
        self._bases[key] = base
        return base

    def _dishes(
        self,
        sources: Mapping[int, dict[str, Source]],
        parts: tuple[FittedPart, ...],
        get: Callable[..., Table],
    ) -> dict[str, Table | None]:
        """What of the dishes has a say, by what is stated of them: a drawn volume decides nothing."""
        stated = [figures_in(own) for own in _with_parts(sources, parts).values()]
        found: dict[str, Table | None] = {}
        if any(one.to_cone is not None for one in stated):
            shaped = np.array([one.to_cone is not None for one in stated])
            found["to_cone"] = get(PLACES["to_cone"]) * shaped
        if any(one.dish_begun is not None for one in stated):
            found["dish_begun"] = get(PLACES["dish_begun"], 0.0)
        if any(one.untold_dish is not None for one in stated):
            none = [0.0 if one.untold_dish is None else math.nan for one in stated]
            found["untold_dish"] = np.tile(none, (self.rows, 1))
        return found

    def _figure(
        self,
        name: str,
        default: float,
        sources: Mapping[int, dict[str, Source]],
        new: Mapping[str, Mapping[str, Source]],
        *,
        swapped: bool,
    ) -> Table:
        """A figure of every hole with parts fitted: the part's own, or what is there, which is asked once."""
        kind = name.split(".")[1]
        if kind in new:
            source = new[kind].get(name)
            if source is not None and source.quantity.each:
                return self._columns(name, (source,) * len(self.holes), default)
            # The same part in every hole.
            column = np.full(self.rows, default) if source is None else self.column(source, self.holes[0])
            return np.tile(column, (len(self.holes), 1)).T
        key = name, default, swapped
        if key not in self._plain:
            self._plain[key] = self._table(name, sources, default)
        return self._plain[key]

    def _gaskets_there(
        self, sources: Mapping[int, dict[str, Source]], *, swapped: bool
    ) -> tuple[Table, Table]:
        """Thickness and volume of the gaskets that are there; parts change nothing of them."""
        key = ("there", swapped)
        if key not in self.gaskets:
            self.gaskets[key] = *gasket_tables(self, sources), []
        return self.gaskets[key][:2]

    def _clearance(
        self,
        sources: Mapping[int, dict[str, Source]],
        parts: tuple[FittedPart, ...],
        stack: Table,
        get: Callable[[str], Table],
    ) -> Table:
        """The clearance that the stack gives, or what the mock-up read, moved by the parts that came since."""
        length, piston = "parts.rod.length", "parts.piston.compression_height"
        read = self._table(READ, sources)
        if np.isnan(read).all():
            return stack
        for part in parts:
            for kind, path, share in (("piston", piston, 1.0), ("rod", length, 1.0), ("crank", _STROKE, 0.5)):
                if part.kind == kind:
                    read = read + share * (self._table(path, sources) - get(path))
        mocked = np.array([READ in sources[number] for number in self.holes])
        return np.where(mocked, read, stack)

    def _unknown_land(self, bore: Table) -> Table:
        """What a ring round the top land may come to that nobody knows; nought where it is stated as such."""
        if self.draws is None or self.build.unstated_doubt != "house":
            return np.zeros_like(bore)
        gap, height = USUAL_LAND
        u = math.pi * bore * gap * height / 1000 / math.sqrt(3)
        return u * self.draws.rectangular("~land of unknown size")[:, None]

    # -- milling ---------------------------------------------------------------

    def removed(self, parts: tuple[FittedPart, ...], cut: Table, columns: slice = slice(None)) -> Table:
        """Return what milling takes from each chamber in cc; not a number where that is not known (trade.md 5).

        Parameters
        ----------
        parts : tuple of FittedPart
            Fitted; a head among them brings its own opening.
        cut : array
            Depths in mm, a row for each draw, one column or one for each hole.
        columns : slice
            Of the holes, those of one bank.
        """
        fitted = _with_parts(self.sources, parts)
        if self.build.step_fills and not any(part.kind == "head" for part in parts):
            return self._filled(cut, columns)
        rate = self._table("parts.head.removal_rate", fitted)[:, columns]
        if not np.isnan(rate).all():
            return np.asarray(milled_at_rate(rate, cut))
        area = self._table("parts.head.opening_area", fitted)[:, columns]
        perimeter = self._table("parts.head.opening_perimeter", fitted, 0.0)[:, columns]
        draft = self._table("parts.head.wall_draft", fitted, 0.0)[:, columns]
        closes = closing(perimeter, draft)
        return np.where(closes * cut > area, math.nan, milled_opening(area, closes, cut))

    def _filled(self, cut: Table, columns: slice) -> Table:
        begun = self._table(HEAD_BEGUN, self.sources, 0.0)[:, columns]
        if not begun.any():
            return self._lost(cut)
        # A head that was milled goes on from there.
        full = [
            self._lost(begun[:, [at]] + cut[:, [min(at, cut.shape[1] - 1)]]) - self._lost(begun[:, [at]])
            for at in range(begun.shape[1])
        ]
        return np.hstack(full)

    def _lost(self, depth: Table) -> Table:
        """What is off a head of fills so far under the face that was filled, in cc."""
        from scipy.interpolate import PchipInterpolator

        fills = self.build.step_fills
        depths, volumes = [d.value for d, _ in fills], [v.value for _, v in fills]
        taken = volumes[0] - np.asarray(PchipInterpolator(depths, volumes, extrapolate=False)(depth))
        middle = float(np.mean(depth))
        if self.draws is not None and depths[0] <= middle <= depths[-1]:
            slopes = StepFilledChamber(tuple(depths), tuple(volumes)).slopes(middle)
            for i, (fill, by) in enumerate(zip(fills, slopes, strict=True)):
                for name, quantity, slope in zip(("depth", "below"), fill, by, strict=True):
                    off = self.error(_fill(i, name, quantity), 0)
                    taken = taken + slope * off[:, None]
        return np.asarray(taken)

    # -- shrinking -------------------------------------------------------------

    def _shrunk(self) -> dict[tuple[str, int], Table]:
        """What was read hole by hole, drawn back to its bank's line or mean."""
        assert self.draws is not None
        found: dict[tuple[str, int], Table] = {}
        for name, figure in ((READ, "deck_clearance"), (CHAMBER, "chamber_volume")):
            scatter = self.build.between_holes.get(figure)
            if scatter is None:
                continue
            for bank in self.build.banks:
                own = [
                    HoleReading(i, number, source)
                    for i, number in enumerate(bank.cylinders)
                    if (source := self.sources[number].get(name)) is not None
                    and source.path.startswith(f"cylinders.{number}.")
                ]
                if len(own) > 1:
                    columns = shrunk(own, scatter, self, line=figure == "deck_clearance")
                    found |= {(name, read.number): column for read, column in zip(own, columns, strict=True)}
        return found


_STROKE = "parts.crank.stroke"
_EDGE, _EDGE_ANGLE = PLACES["edge_width"], PLACES["edge_angle"]


def _keys_of(source: Source, number: int) -> list[str]:
    """What names each part of the doubt of a figure that is none of the logbook's."""
    key = f"{source.path} at {number}" if source.quantity.each else source.doubt_key
    return [f"{key}/{i}" if i else key for i, _ in enumerate(parts_of_doubt(source.quantity))]


def _fill(i: int, name: str, quantity: Quantity) -> Source:
    return Source(f"parts.head.step_fills.{i}.{name}", quantity)


def _scatter(pool: str) -> str:
    return f"~scatter {pool}"


def _sources_of_doubt(truth: FigureSamples) -> Iterator[str]:
    """Everything that is in doubt about a build, hole by hole, and then what its levers may miss.

    The order is the build's own: its holes, in each its figures by their place, then its levers bank by bank.
    """
    for number in truth.holes:
        for place, source in sorted(truth.sources[number].items()):
            if not source.quantity.u or place == PLACES["to_cone"]:
                continue
            if not source.quantity.terms:
                yield from _keys_of(source, number)
            for term in source.quantity.terms:
                yield term.key
                if term.pool is not None and math.isfinite(term.dof):
                    yield _scatter(term.pool)
    for i, fill in enumerate(truth.build.step_fills):
        for name, quantity in zip(("depth", "below"), fill, strict=True):
            yield from _keys_of(_fill(i, name, quantity), 0)
    for bank in truth.build.banks:
        for figure in truth.build.between_holes:
            yield from (of_hole(scatter_between(figure, bank), number) for number in bank.cylinders)
            yield scatter_between(figure, bank)
        for lever in (*FACES, "gasket"):
            yield missed_by(lever, bank.name)
        for number in bank.cylinders:
            yield missed_by("open_chamber", None, number)
    for lever in ("crown_cut", "bowl", "gasket"):
        yield missed_by(lever)
    for own in truth.sources.values():
        for term in own[PLACES["to_cone"]].terms if PLACES["to_cone"] in own else ():
            yield term.key


def missed_by(op: str, bank: str | None = None, cylinder: int | None = None) -> str:
    """Return what names the miss of an operation: its lever and where it works, wherever it stands in a plan.

    Parameters
    ----------
    op : str
        The lever.
    bank : str, optional
        The bank that it works on alone.
    cylinder : int, optional
        The hole that it works on alone; no unit.
    """
    return f"{op} {bank or cylinder or ''}".strip()


def gasket_tables(truth: FigureSamples, sources: Mapping[int, Mapping[str, Source]]) -> tuple[Table, Table]:
    """Return thickness and volume of the gasket in every hole.

    Parameters
    ----------
    truth : FigureSamples
        Where figures are drawn.
    sources : Mapping
        The figures that count, by hole.

    Returns
    -------
    thickness, volume : array
        In mm and cc.
    """
    get = truth._table
    thickness, bore = get("parts.gasket.thickness", sources), get("parts.gasket.bore", sources)
    opening = get("parts.gasket.opening_area", sources)
    volume = held_by_gasket(np.where(np.isnan(opening), circle_area(bore), opening), thickness)
    return thickness, np.where(np.isnan(volume), get("parts.gasket.volume", sources), volume)


def _figures_of(parts: tuple[FittedPart, ...]) -> dict[str, dict[str, Source]]:
    """The figures of parts that are fitted, by kind: of the old one's none is left."""
    return {
        part.kind: {
            f"parts.{part.kind}.{name}": Source(f"fitted {part.kind}.{name}", quantity)
            for name, quantity in part.figures.items()
        }
        for part in parts
    }


def _is_nought(own: Mapping[str, Source], new: Mapping[str, Mapping[str, Source]], name: str) -> bool:
    """Whether a figure is stated as nought."""
    source = new.get(name.split(".")[1], own).get(name)
    return source is not None and source.quantity.value == 0


def _with_parts(
    sources: Mapping[int, dict[str, Source]], parts: tuple[FittedPart, ...]
) -> Mapping[int, dict[str, Source]]:
    """The figures with some parts in place of what is there: a part's own, and none of the old one's."""
    if not parts:
        return sources
    kinds = tuple(f"parts.{part.kind}." for part in parts)
    new: dict[str, Source] = {}
    for part in parts:
        for name, quantity in part.figures.items():
            new[f"parts.{part.kind}.{name}"] = Source(f"fitted {part.kind}.{name}", quantity)
    return {
        number: {path: source for path, source in own.items() if not path.startswith(kinds)} | new
        for number, own in sources.items()
    }
