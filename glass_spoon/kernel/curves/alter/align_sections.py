"""Sections made to run alike: the same direction, start, degree and knots, corners at the same parameters."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import (
    elevate_degree,
    join_curves,
    rescale_domain,
    reverse_curve,
    split_curve,
    trim_curve,
)
from glass_spoon.kernel.curves.alter.follow_length import find_joints, follow_length
from glass_spoon.kernel.curves.alter.refit_curve import remove_knot
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.alter.smooth_sections import write_smooth
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix
from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance, span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, curve_points, curve_tangents, find_kinks
from glass_spoon.kernel.curves.make.interpolate import from_polynomials
from glass_spoon.kernel.errors import InvalidInput

PLACES = 256
"""Places by which two sections are compared."""

DENSE = 1024
"""Chords by whose length these are spread; near enough to compare by."""

GAIN = 0.02
"""A start is moved only where that brings the sections nearer by this share: each move costs knots."""

PILE = 1.5
"""How many times the knots of the richest section all knots together may be."""

STRAIGHT = 1e-6
"""A piece whose chord is shorter than itself by less than this share is straight."""

UNLIKE = 2.0
"""Pieces whose shares of the length differ by more than this factor are not laid over each other."""

SAME_KNOT = 1e-7
"""Knots of domains 0 to 1 nearer than this are one."""


def align_sections(sections: list[NurbsCurve], tolerance: float = 1e-6) -> list[NurbsCurve]:
    """Return the sections run through so that each lies as near to the one before as turning round and a new start allow.

    Closed ones are turned round or started elsewhere (at a corner, when they have corners), open ones turned round.
    "Near" is the sum of squared distances of places at even shares of the length, measured from each section's middle.
    Raises InvalidInput when some sections are closed and others open.
    """
    closed = [section.is_closed(tolerance) for section in sections]
    if any(closed) != all(closed):
        raise InvalidInput("The sections", "all closed or all open", "mixed")
    aligned, target = sections[:1], _even_places(sections[0], closed=closed[0])
    for section in sections[1:]:
        run, target = _nearest_run(aligned[-1], target, section, closed=closed[0])
        aligned.append(run)
    return aligned


def _nearest_run(before: NurbsCurve, target: Floats, section: NurbsCurve, *, closed: bool) -> tuple[NurbsCurve, Floats]:
    """Return the section as it runs nearest to the places (PLACES, 3) of the one before, and its own places so run."""
    own = _even_places(section, closed=closed)
    at_corner = closed and closed_at_kink(before, SHARP_ANGLE)
    best, found, least = section, own, np.inf
    for turned in (False, True):
        candidate = reverse_curve(section) if turned else section
        places = own if not turned else np.roll(own[::-1], 1, axis=0) if closed else own[::-1]
        if closed:
            shift, score = _best_shift(candidate, _shift_scores(target, places), at_corner=at_corner)
        else:
            shift, score = 0.0, float((lengths(places - target) ** 2).sum())
        if score < least * (1 - 1e-9) - 1e-12:
            best, found, least = (_start_at(candidate, shift) if shift else candidate), places, score
            found = np.roll(places, -round(shift * PLACES), axis=0)
    return best, found


def _even_places(section: NurbsCurve, *, closed: bool) -> Floats:
    """Return PLACES places (n, 3) at nearly even shares of the length; of a closed section measured from their middle."""
    dense = curve_points(section, span_params(section, max(4, -(-DENSE // (len(section.breaks) - 1)))))
    totals = np.concatenate(([0.0], np.cumsum(lengths(np.diff(dense, axis=0)))))
    wanted = np.linspace(0, totals[-1], PLACES, endpoint=not closed)
    places = np.stack([np.interp(wanted, totals, dense[:, axis]) for axis in range(3)], axis=1)
    return places - places.mean(axis=0) if closed else places


def _shift_scores(target: Floats, places: Floats) -> Floats:
    """Return the sum of squared distances (PLACES,) for every cyclic shift of the places, by Fourier transforms."""
    cross = sum(np.fft.irfft(np.fft.rfft(places[:, k]) * np.conj(np.fft.rfft(target[:, k])), PLACES) for k in range(3))
    scores: Floats = (target**2).sum() + (places**2).sum() - 2 * cross
    return scores


def _best_shift(section: NurbsCurve, scores: Floats, *, at_corner: bool) -> tuple[float, float]:
    """Return the share of the length at which to start, 0 to stay, and its score; at a corner if there is one and asked."""
    kinks = find_kinks(section, SHARP_ANGLE)
    shares = np.arange(PLACES) / PLACES
    if at_corner and len(kinks):
        arc = measure_length(section, 1e-9)
        own = [0.0] if closed_at_kink(section, SHARP_ANGLE) else []
        shares = np.concatenate((own, arc.at_params(kinks) / arc.length))
    values = scores[np.rint(shares * PLACES).astype(int) % PLACES]
    at = int(np.argmin(values))
    spread = max(float(scores.max() - scores.min()), 1e-300)
    if shares[0] == 0.0 and values[0] - values[at] <= GAIN * spread:
        return 0.0, float(values[0])
    return float(shares[at]), float(values[at])


def _start_at(section: NurbsCurve, share: float) -> NurbsCurve:
    """Return a closed section started at a share of its length; where it was smooth at its old start, knots go again."""
    arc = measure_length(section, 1e-9)
    param = float(arc.to_params(np.array([share * arc.length]))[0])
    nearest = float(section.breaks[np.argmin(np.abs(section.breaks - param))])
    low, high = section.domain
    param = nearest if abs(nearest - param) <= SAME_KNOT * (high - low) else param  # no sliver of a span beside a knot
    if param in (low, high):
        return section
    first, second = split_curve(section, param)
    moved = join_curves([second, first])
    joint = moved.domain[0] + second.domain[1] - second.domain[0]
    for _ in range(section.degree - 1):
        lighter = remove_knot(moved, joint, 1e-7)
        if lighter is None:
            break
        moved = lighter
    return moved


def make_compatible(sections: list[NurbsCurve], tolerance: float = 0.0) -> list[NurbsCurve]:
    """Return the same shapes with one degree and one set of knots over 0 to 1.

    Exact where the knots of all add up to no more than PILE times the richest section's. Otherwise, with a `tolerance` in
    mm, the sections are written anew as cubics over shared knots within it, where that takes fewer control points.

    Parameters follow the length of each section. When all have as many corners, each stretch between corners takes the
    same share of the parameter, corners then lie above each other; and so do the ends of arcs and straights between them,
    when these follow each other alike. Knots nearer than SAME_KNOT are shared. (The NURBS Book, section 10.3.)
    """
    degree = max(section.degree for section in sections)
    raised = [elevate_degree(section, degree) for section in sections]
    even = _stops_shared(raised)
    values = np.concatenate([section.knots[degree + 1 : -degree - 1] for section in even])
    if not len(values):
        return even
    merged = merged_knots([section.knots[degree + 1 : -degree - 1] for section in even])
    richest = max(len(section.control_points) for section in even)
    if tolerance > 0 and len(merged) > PILE * richest:
        anew = _written_anew(even, tolerance, len(merged))
        if anew is not None:
            return anew
    knots = np.concatenate((np.zeros(degree + 1), merged, np.ones(degree + 1)))
    return [_over_knots(section, knots, merged) for section in even]


def make_smooth(sections: list[NurbsCurve], tolerance: float) -> list[NurbsCurve]:
    """Return sections that may be blended smoothly: as `make_compatible` where all run alike, else within `tolerance` mm.

    Sections of unlike pieces jump in speed and in the slope of their weights at other places, which would leave creases
    between them; they are written as cubics over their length, with corners shared where all have as many.
    """
    plain = [rescale_domain(follow_length(section), 0.0, 1.0) for section in sections]
    kinks, joints = _kinks_and_joints(plain)
    middles = _middles_shared(plain, joints, kinks)
    has_arcs = any(len(own) > len(found) for own, found in zip(joints, kinks, strict=True))
    if not has_arcs or len({len(found) for found in kinks}) > 1 or (middles is None and _run_alike(plain, joints, kinks)):
        return make_compatible(sections, tolerance)
    stops = [np.concatenate(([0.0], found, [1.0])) for found in kinks]
    bends = middles or [np.zeros(0)] * len(plain)
    shared = np.mean(stops, axis=0)
    breaks = np.concatenate([np.interp(found, own, shared) for found, own in zip(joints, stops, strict=True)])
    return write_smooth(plain, stops, bends, breaks, tolerance)


def _middles_shared(sections: list[NurbsCurve], joints: list[Floats], kinks: list[Floats]) -> list[Floats] | None:
    """Return the middles of the arcs of sections that run alike but share out their lengths otherwise; else None.

    Of two rounded rectangles with unlike radii the arcs would stretch over each other; their middles are like corners.
    """
    if not _run_alike(sections, joints, kinks):
        return None
    sizes = np.diff(np.column_stack((np.zeros(len(joints)), np.array(joints), np.ones(len(joints)))), axis=1)
    if (sizes.max(axis=0) <= UNLIKE * sizes.min(axis=0)).all():
        return None
    bent = ~np.array([straight for straight, _ in _run_of(sections[0], joints[0], kinks[0])])
    found = []
    for section, own in zip(sections, joints, strict=True):
        stops = np.concatenate(([0.0], own, [1.0]))
        arc = measure_length(section, 1e-9)
        along = arc.at_params(stops)
        found.append(arc.to_params((along[:-1] + along[1:])[bent] / 2))
    return found


def _kinks_and_joints(sections: list[NurbsCurve]) -> tuple[list[Floats], list[Floats]]:
    """Return the parameters of the corners of each section, and of its corners and joints."""
    kinks = [find_kinks(section, SHARP_ANGLE) for section in sections]
    return kinks, [np.union1d(find_joints(section), found) for section, found in zip(sections, kinks, strict=True)]


def _run_alike(sections: list[NurbsCurve], joints: list[Floats], kinks: list[Floats]) -> bool:
    """Say whether arcs, straights and corners follow each other alike in all sections."""
    return len({_run_of(*each) for each in zip(sections, joints, kinks, strict=True)}) == 1


def _written_anew(sections: list[NurbsCurve], tolerance: float, most: int) -> list[NurbsCurve] | None:
    """Return cubics through places at even shares of the length, doubled until all keep the tolerance; None above `most`.

    Corners, which lie at the same parameters by now, stay corners.
    """
    kinks = find_kinks(sections[0], SHARP_ANGLE)
    stops = np.concatenate(([0.0], kinks, [1.0]))
    others = [find_kinks(section, SHARP_ANGLE) for section in sections]
    if any(len(found) != len(kinks) or np.abs(found - kinks).max(initial=0.0) > SAME_KNOT for found in others):
        return None
    count = max(4, max(len(section.breaks) for section in sections) // (len(stops) - 1))
    while count * (len(stops) - 1) < most:
        fitted = [_through_even(section, stops, count) for section in sections]
        if max(largest_distance(a, b, 4) for a, b in zip(sections, fitted, strict=True)) <= tolerance:
            return fitted
        count *= 2
    return None


def _through_even(section: NurbsCurve, stops: Floats, count: int) -> NurbsCurve:
    """Return the cubic through `count` + 1 places at even shares of each stretch's length, its end slopes kept."""
    arc = measure_length(section, 1e-9)
    smooth_ring = len(stops) == 2 and section.is_closed(1e-6) and not closed_at_kink(section, SHARP_ANGLE)
    pieces = []
    for low, high in pairwise(stops):
        start, end = arc.at_params(np.array([low, high]))
        params = arc.to_params(np.linspace(start, end, count + 1))
        params[0], params[-1] = low, high
        places, shares = curve_points(section, params), np.linspace(low, high, count + 1)
        if smooth_ring:
            places[-1] = places[0]
            return from_polynomials(scipy.interpolate.CubicSpline(shares, places, bc_type="periodic"))
        inside = np.array([low, high]) + np.array([1e-9, -1e-9]) * (high - low)
        slopes = curve_tangents(section, inside) * (end - start) / (high - low)
        ends = ([(1, slopes[0])], [(1, slopes[1])])
        spline = scipy.interpolate.make_interp_spline(shares, places, k=3, bc_type=ends)  # type: ignore[arg-type]  # lists of derivatives
        pieces.append(NurbsCurve(3, spline.t, np.asarray(spline.c), np.ones(len(spline.c))))
    return join_curves(pieces)


def _stops_shared(sections: list[NurbsCurve]) -> list[NurbsCurve]:
    """Return sections over 0 to 1 by their length; corners, and joints, that they share at the mean share of the lengths."""
    plain = [rescale_domain(follow_length(section), 0.0, 1.0) for section in sections]
    kinks, joints = _kinks_and_joints(plain)
    middles = _middles_shared(plain, joints, kinks)
    if middles is not None:
        own = [np.union1d(*pair) for pair in zip(kinks, middles, strict=True)]
    else:
        own = joints if _run_alike(plain, joints, kinks) else kinks
    if len({len(found) for found in own}) > 1 or not len(own[0]):
        return plain
    stops = np.concatenate(([0.0], np.mean(own, axis=0), [1.0]))
    return [_between_stops(section, found, stops) for section, found in zip(plain, own, strict=True)]


def _run_of(section: NurbsCurve, joints: Floats, kinks: Floats) -> tuple[tuple[bool, bool], ...]:
    """Return of every piece between joints whether it is straight, and whether it ends at a corner."""
    stops = np.concatenate(([section.domain[0]], joints, [section.domain[1]]))
    ends = curve_points(section, stops)
    along = measure_length(section, 1e-9).at_params(stops)
    straight = lengths(np.diff(ends, axis=0)) >= (1 - STRAIGHT) * np.diff(along)
    return tuple(zip(straight.tolist(), np.isin(stops[1:], kinks).tolist(), strict=True))


def _between_stops(section: NurbsCurve, kinks: Floats, stops: Floats) -> NurbsCurve:
    """Return the section with its stretches between corners moved linearly onto the stretches between stops."""
    own = np.concatenate(([0.0], kinks, [1.0]))
    pieces = [
        rescale_domain(trim_curve(section, float(low), float(high)), float(start), float(end))
        for (low, high), (start, end) in zip(pairwise(own), pairwise(stops), strict=True)
    ]
    joined = join_curves(pieces)
    return rescale_domain(joined, 0.0, 1.0)


def merged_knots(inner: list[Floats], same: float = SAME_KNOT) -> Floats:
    """Return the knots that hold every list's, each value as often as the list that repeats it most; values within `same` of
    each other are one.
    """
    values = np.unique(np.concatenate(inner))
    groups = np.split(values, np.flatnonzero(np.diff(values) > same) + 1) if len(values) else []
    merged = [np.zeros(0)]
    for group in groups:
        low, high = group[0] - same / 2, group[-1] + same / 2
        most = max(int(((knots >= low) & (knots <= high)).sum()) for knots in inner)
        merged.append(np.full(most, group.mean()))
    return np.concatenate(merged)


def _over_knots(section: NurbsCurve, knots: Floats, merged: Floats) -> NurbsCurve:
    """Return the section over finer knots, its own first moved onto the shared values they stand for."""
    p = section.degree
    own = section.knots.copy()
    inner = own[p + 1 : -p - 1]
    if len(inner):
        shared = np.unique(merged)
        inner[:] = shared[np.abs(inner[:, None] - shared).argmin(axis=1)]
    matrix = conversion_matrix(own, p, knots, p)
    return from_homogeneous(p, knots, matrix @ section.homogeneous)
