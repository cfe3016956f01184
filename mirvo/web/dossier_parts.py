"""What the dossier and the year book say on paper, part by part."""

from __future__ import annotations

from datetime import date

from mirvo.core.errors import NotFound
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import TopRecord
from mirvo.core.rootwork.kinds import kind_name
from mirvo.formats.dossier import Heading, Part, Picture, Pictures, Rows, Words
from mirvo.studio.ground.context import Studio
from mirvo.studio.photos.photo_queries import kind_said
from mirvo.studio.yard.dossier import Dossier, YearBook
from mirvo.studio.yard.sheet import Sheet
from mirvo.text.advice import headline
from mirvo.web.drawings.file import as_png
from mirvo.web.drawings.sheet import draw_sheet, draw_strip
from mirvo.web.drawings.year import draw_small_wheel
from mirvo.web.drawings.years import years_chart
from mirvo.web.lengths import in_units, length_text, margin
from mirvo.web.wording import plus_minus, short_day

STRIP_ACROSS = 5


def dossier_parts(studio: Studio, found: Dossier, yard: str, today: date) -> list[Part]:
    """The dossier in the order its page has."""
    sheet, tree = found.sheet, found.tree
    species = sheet.species
    named = f"{species.name}, {species.scientific}" if species.scientific else species.name
    parts: list[Part] = [
        Heading(tree.name, large=True),
        Words(f"{named}. {yard}, {today.day} {today:%B %Y}.", quiet=True),
    ]
    if found.portrait is not None:
        parts += _photos(studio, [(found.portrait.digest, "")], 2)
    parts += [Heading("Origin"), Rows(found.provenance, (1, 3))]
    if tree.note:
        parts.append(Words(tree.note))
    parts += [Heading("As it stands"), Rows(_standing_rows(sheet), (1, 3))]
    scene = draw_sheet(sheet, "drawing")
    if scene is not None:
        parts.append(Picture(as_png(scene), 125.0))
    strip = draw_strip(sheet)
    if strip:
        dated = [
            (as_png(strip[row.id]), short_day(row.measured_on))
            for row in sheet.dated
            if row.id in strip
        ]
        parts += [Heading("Through the years, to one scale"), Pictures(dated, STRIP_ACROSS)]
    years = years_chart(sheet)
    if years is not None:
        parts.append(Picture(as_png(years), 130.0))
    parts += [Heading("Root sessions"), *_session_rows(found)]
    parts += _target_parts(sheet)
    if found.kept:
        parts.append(Heading("Kept for a while"))
        parts += [Words(f"{task.text} Look on {short_day(task.due)}.") for task in found.kept]
    if found.photos:
        said = [
            (photo.digest, f"{kind_said(photo.kind)}, {short_day(photo.taken_on)}")
            for photo in found.photos
        ]
        parts += [Heading("Photos"), *_photos(studio, said)]
    parts.append(Heading("Cautions"))
    if species.caution:
        parts.append(Words(f"{species.name}: {species.caution}"))
    parts.append(Words(CAUTION, quiet=True))
    return parts


CAUTION = (
    "Windows, budgets and plans are general guidance, worked out from what is recorded here; your "
    "own eye on the tree comes first. Heavy trees are lifted by two. Moving soil and trees over "
    "borders follows plant health rules."
)


def _standing_rows(sheet: Sheet) -> list[tuple[str, str]]:
    standing, window = sheet.standing, sheet.window
    rows = [("Advice", headline(sheet.verdict))]
    if sheet.base is not None:
        record, on = sheet.base.record, sheet.base.measurement.measured_on
        rows += [("Measured", short_day(on)), ("Trunk", _length(record.trunk_diameter_mm))]
        basis, spread = sheet.spread or ("", None)
        if spread is not None:
            rows.append((f"Spread to trunk, {basis}", _figure(spread.ratio, "", 2)))
        rows += [
            ("Radiality, of 100", _figure(record.radiality.index, "")),
            ("Largest gap", _figure(record.radiality.largest_gap_deg, "°")),
        ]
    rows += [
        ("Strength", standing.strength.value),
        ("Next window", f"{short_day(window.start)} to {short_day(window.end)}"),
    ]
    if sheet.tree.pot is not None:
        rows.append(("Pot", sheet.tree.pot.name))
    return rows


def _figure(figure: Figure, unit: str, digits: int = 0) -> str:
    gap = "" if unit in ("", "°") else " "
    return f"{figure.value:.{digits}f}{gap}{unit} ± {plus_minus(figure, digits)}"


def _length(figure: Figure) -> str:
    return f"{length_text(figure.value)} ± {margin(figure)}"


def _session_rows(found: Dossier) -> list[Part]:
    rows = [
        (
            short_day(one.session.done_on),
            kind_name(one.session.kind),
            f"{one.share * 100:.0f}% of {one.session.budget * 100:.0f}%",
            one.answer or "–",
            " ".join(text for text in (one.session.found, one.session.next_time) if text),
        )
        for one in found.sessions
    ]
    if not rows:
        return [Words("None is recorded.", quiet=True)]
    header = ("Done on", "Kind", "Share of budget", "Answer", "Found; next time")
    return [Rows(rows, (1.2, 1.6, 1.4, 0.8, 4), header)]


def _target_parts(sheet: Sheet) -> list[Part]:
    target, path = sheet.target, sheet.path
    if target is None:
        return []
    wish = (
        f"Spread to trunk {target.spread_ratio:g} ({target.basis}), no gap over "
        f"{target.largest_gap_deg:.0f}°, pot {length_text(target.pot_depth_mm)} deep."
    )
    parts: list[Part] = [Heading("Where it is going"), Words(wish)]
    if path is not None and path.steps:
        rows = [
            (
                str(step.year),
                step.into,
                f"{step.share * 100:.0f}%",
                ", ".join(step.faults) or "–",
                length_text(step.slice_mm) if step.slice_mm else "–",
                length_text(step.side_trim_mm) if step.side_trim_mm else "–",
            )
            for step in path.steps
        ]
        header = ("Year", "Into", "Share", "Roots cut", "Off the underside", "Off each side")
        parts.append(Rows(rows, (0.7, 2, 0.8, 1.2, 1.2, 1.0), header))
        if path.likely_year is not None:
            parts.append(Words(f"Likely there by {path.likely_year}."))
    return parts


def _photos(studio: Studio, named: list[tuple[str, str]], across: int = 3) -> list[Part]:
    """Photos that can be read; one whose file is lost is left out."""
    files = []
    for digest, said in named:
        try:
            files.append((studio.photos.derivative(digest, "page"), said))
        except (NotFound, OSError):
            continue
    return [Pictures(files, across)] if files else []


def book_parts(title: str, book: YearBook) -> list[Part]:
    """The year book in the order its page has."""
    said = f"{book.sessions} root sessions on {len(book.trees)} trees."
    parts: list[Part] = [Heading(title, large=True), Words(said, quiet=True)]
    for label, trees in (("Came", book.came), ("Died", book.died)):
        if trees:
            parts.append(Words(f"{label}: {', '.join(tree.name for tree in trees)}."))
    for one in book.trees:
        parts.append(Heading(one.row.tree.name))
        if one.last is not None:
            scene = draw_small_wheel(one.row.tree.id, one.last)
            parts += [Pictures([(as_png(scene), _measured_said(one.first, one.last))], 5)]
        rows = [
            (
                short_day(each.session.done_on),
                kind_name(each.session.kind),
                f"{each.share * 100:.0f}%",
                each.answer or "–",
                each.session.found,
            )
            for each in one.sessions
        ]
        header = ("Done on", "Kind", "Share", "Answer", "Found")
        parts.append(Rows(rows, (1.2, 1.8, 0.8, 0.8, 4), header))
    if not book.trees:
        parts.append(Words("Nothing was recorded in this year."))
    return parts


def _measured_said(first: TopRecord | None, last: TopRecord) -> str:
    now = last.trunk_diameter_mm.value
    if first is None or first is last:
        return f"trunk {length_text(now)}"
    return f"trunk {in_units(first.trunk_diameter_mm.value)} to {length_text(now)}"
