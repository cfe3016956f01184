"""Records of their own for roots, cuts, findings and holds; documents with a version.

Every table is made anew with its foreign keys and checks, and the rows are carried over. The
tables as they stand after this step are in `0009_tables.sql`, so that later changes of the code
do not change what this step does.
"""

import json
from pathlib import Path

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

TABLES = Path(__file__).with_name("0009_tables.sql")
OLD = (
    *("trees", "photos", "measurements", "eye_checks", "sessions", "visits", "taps"),
    *("visit_photos", "care_tasks", "waterings", "targets", "plans", "yard"),
)
BATCH = 500
MIN_YEAR, MAX_YEAR = 1900, 2300
MAX_YEARS_BACK = 15


def upgrade() -> None:
    connection = op.get_bind()
    _put_old_tables_aside(connection)
    for statement in TABLES.read_text("utf-8").split(";\n"):
        if statement.strip():
            connection.exec_driver_sql(statement)
    letters = Letters(connection)
    _carry(connection, "trees", "trees", _tree)
    _carry(connection, "sessions", "root_sessions", _session)
    _carry(connection, "photos", "photos", _same)
    _carry(connection, "measurements", "measurements", _measurement)
    _carry(connection, "eye_checks", "eye_checks", _eye_check)
    _carry(connection, "visits", "bench_sessions", _bench_session)
    _carry(connection, "taps", "bench_entries", _bench_entry)
    _carry(connection, "visit_photos", "bench_photos", _bench_photo)
    _carry(connection, "care_tasks", "care_tasks", _same)
    _carry(connection, "waterings", "waterings", _same)
    _carry(connection, "targets", "targets", _target)
    _carry(connection, "plans", "plans", _plan)
    _carry(connection, "yard", "yard", _yard)
    _roots_seen(connection, letters)
    _cuts_and_findings(connection, letters)
    _fixed_by_hand(connection, letters)
    letters.settle()
    for table in OLD:
        connection.exec_driver_sql(f"DROP TABLE old_{table}")


def downgrade() -> None:
    raise NotImplementedError("go back to the copy that was made before this step")


def _put_old_tables_aside(connection) -> None:
    query = "SELECT name FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"
    for (index,) in connection.exec_driver_sql(query).fetchall():
        connection.exec_driver_sql(f'DROP INDEX "{index}"')
    for table in OLD:
        connection.exec_driver_sql(f"ALTER TABLE {table} RENAME TO old_{table}")


def _carry(connection, old, new, change) -> None:
    """Every row of an old table, changed, in batches."""
    rows = connection.exec_driver_sql(f"SELECT * FROM old_{old}")  # noqa: S608
    while batch := rows.mappings().fetchmany(BATCH):
        _insert(connection, new, [change(dict(row)) for row in batch])


def _insert(connection, table, rows) -> None:
    if not rows:
        return
    names = list(rows[0])
    columns, places = ", ".join(f'"{name}"' for name in names), ", ".join("?" for _ in names)
    values = [tuple(row[name] for name in names) for row in rows]
    connection.exec_driver_sql(f"INSERT INTO {table} ({columns}) VALUES ({places})", values)  # noqa: S608


def _read(text):
    """Parsed JSON; None of nothing and of what is no JSON."""
    try:
        return None if text is None else json.loads(text)
    except ValueError:
        return None


def _document(body):
    if body is None:
        return None
    return json.dumps({"version": 1, "body": body}, ensure_ascii=False)


def _object(text):
    found = _read(text)
    return found if isinstance(found, dict) else {}


def _list(text):
    found = _read(text)
    return found if isinstance(found, list) else []


def _same(row):
    return row


def _tree(row):
    return {**row, "practice": _document(_object(row["practice"]))}


def _session(row):
    before, after = _object(row.pop("ball_before")), _object(row.pop("ball_after"))
    pot, details = _object(row.pop("pot_after_size")), _object(row.pop("details"))
    row.pop("roots")
    judged = row["share_judged"]
    unfinished = [
        {"code": str(one.get("code", "")), "text": str(one.get("text", "")), "root": one.get("root")}
        for one in details.get("unfinished") or []
    ]
    return {
        **row,
        **{f"ball_{part}_before": before.get(f"{part}_mm") for part in ("length", "width", "depth")},
        **{f"ball_{part}_after": after.get(f"{part}_mm") for part in ("length", "width", "depth")},
        "pot_length_mm": pot.get("length_mm"),
        "pot_depth_mm": pot.get("depth_mm"),
        "share_judged": None if judged is None else round(judged * 100, 6),
        "share_computed": min(1.0, max(0.0, row["share_computed"])),
        "fine_roots": details.get("fine_roots") or "even",
        "top_reduced": details.get("top_reduced"),
        "offcuts_g": details.get("offcuts_g"),
        "ball_g": details.get("ball_g"),
        "share_weighed": details.get("share_weighed"),
        "share_uncorrected": details.get("share_plain"),
        "exposed_minutes": details.get("exposed_minutes"),
        "practice": _document(details.get("practice") or {}),
        "notes": _document(details.get("answers") or {}),
        "planned": _document(details.get("planned")),
        "unfinished": _document(unfinished),
    }


def _measurement(row):
    figures = _read(row.pop("figures"))
    side = row["view"] == "side"
    return {
        **row,
        "marks": _document(_object(row["marks"])),
        "top": None if side else _document(_top(figures)),
        "side": _document(_side(figures)) if side else None,
    }


def _top(figures):
    """The figures and the plan beside them as one list of roots; None where it has none."""
    if not isinstance(figures, dict) or "plan" not in figures:
        return None
    plan = figures["plan"]
    drawn = {root["label"]: root for root in plan["roots"]}
    outlines = plan.get("trunks") or [plan["trunk"]]
    each = figures.get("trunks") or [{"diameter_mm": figures["trunk_diameter_mm"]}] * len(outlines)
    roots = [{**_root(root), **_on_plan(drawn.get(root["label"], {}))} for root in figures["roots"]]
    return {
        "calibration": figures["calibration"],
        "trunk_diameter_mm": figures["trunk_diameter_mm"],
        "trunks": [
            {"diameter_mm": one["diameter_mm"], "outline_mm": outline}
            for one, outline in zip(each, outlines, strict=False)
        ],
        "spread": figures["spread"],
        "roots": roots,
        "radiality": figures["radiality"],
        "flare_outline_mm": plan.get("flare"),
    }


def _root(root):
    return {"turn_deg": 0.0, "taper": None, **root}


def _on_plan(drawn):
    return {
        "path_mm": drawn.get("path") or [],
        "end_width_mm": drawn.get("end_width_mm"),
        "feeders": drawn.get("feeders"),
        "condition": drawn.get("condition") or "sound",
        "height": drawn.get("height"),
        "feeds": drawn.get("feeds") or [],
    }


def _side(figures):
    if not isinstance(figures, dict):
        return None
    trials = [
        {**one, "flare_angle_deg": one.get("flare_angle_deg") or None}
        for one in figures.pop("tried", [])
    ]
    sure = {"reverse_taper_sure": bool(figures.get("reverse_taper"))}
    return {**sure, **figures, "soil_line_trials": trials}


def _eye_check(row):
    parts = ("first", "second", "result")
    return {**row, **{name: _document(_read(row[name])) for name in parts}}


def _bench_session(row):
    row.pop("measurement_id")
    return row


def _bench_entry(row):
    names = {"visit_id": "bench_session_id", "tapped_at": "entered_at"}
    return {names.get(name, name): value for name, value in row.items()}


def _bench_photo(row):
    return {("bench_session_id" if name == "visit_id" else name): v for name, v in row.items()}


def _target(row):
    for name in ("holds", "gap_methods", "returns"):
        row.pop(name)
    return {**row, "containers": _document(_list(row["containers"]))}


def _plan(row):
    result = _object(row["result"])
    levers = result.pop("forward", {})
    for path in result.get("paths", []):
        if path.get("school") in levers:
            path["forward"] = levers[path["school"]]
    case = _object(row["case"])
    return {**row, "case": _document(case), "result": _document(result)}


def _yard(row):
    return {
        **row,
        "practice": _document(_object(row["practice"])),
        "own_species": _document(_object(row["own_species"])),
    }


class Letters:
    """The roots of all trees by their letters, each made a row when it is first named."""

    def __init__(self, connection) -> None:
        self.connection = connection
        self.rows = {}

    def row(self, tree_id, label):
        """The root of a tree that bears a letter."""
        key = (tree_id, str(label)[:40])
        if key not in self.rows:
            self.rows[key] = {
                "id": len(self.rows) + 1,
                "tree_id": tree_id,
                "label": key[1],
                "first_seen_on": None,
                "gone_on": None,
            }
        return self.rows[key]

    def seen(self, tree_id, label, day) -> None:
        root = self.row(tree_id, label)
        root["first_seen_on"] = min(filter(None, (root["first_seen_on"], day)))
        if root["gone_on"] is not None and day > root["gone_on"]:
            root["gone_on"] = None

    def settle(self) -> None:
        _insert(self.connection, "roots", list(self.rows.values()))


def _roots_seen(connection, letters) -> None:
    """Roots by the letters of the first measurement of a tree and of those confirmed since."""
    query = (
        "SELECT tree_id, measured_on, figures FROM old_measurements "
        "WHERE view = 'top' AND figures IS NOT NULL ORDER BY measured_on, id"
    )
    for tree_id, day, text in connection.exec_driver_sql(query).fetchall():
        for root in (_object(text).get("roots")) or []:
            letters.seen(tree_id, root["label"], day)


def _cuts_and_findings(connection, letters) -> None:
    query = "SELECT id, tree_id, done_on, roots, details FROM old_sessions ORDER BY done_on, id"
    measured = {
        number
        for (number,) in connection.exec_driver_sql("SELECT id FROM old_measurements").fetchall()
    }
    cuts, findings = [], []
    for number, tree_id, day, roots, details in connection.exec_driver_sql(query).fetchall():
        decided = _object(details).get("decided") or {}
        done = {root["label"]: root for root in _list(roots)}
        on = next((root.get("measurement_id") for root in done.values()), None)
        on = on if on in measured else None
        for label in dict.fromkeys([*done, *decided]):
            root, said = done.get(label, {}), decided.get(label, {})
            row = letters.row(tree_id, label)
            if root.get("action") == "remove":
                row["gone_on"] = day
            cuts.append(
                {
                    "session_id": number,
                    "root_id": row["id"],
                    "measurement_id": on,
                    "decided_action": said.get("action"),
                    "decided_part": said.get("part"),
                    "why": (said.get("why") or "")[:300],
                    "done_action": root.get("action") or "keep",
                    "done_part": root.get("part"),
                    "share": root.get("share"),
                    "azimuth_deg": root.get("azimuth_deg"),
                }
            )
        for label, found in (_object(details).get("findings") or {}).items():
            findings.append(
                {
                    "session_id": number,
                    "root_id": letters.row(tree_id, label)["id"],
                    "measurement_id": on,
                    "feeders": found.get("feeders"),
                    "condition": found.get("condition"),
                    "height": found.get("height"),
                    "feeds": _document(found.get("feeds")),
                }
            )
    _insert(connection, "cut_decisions", cuts)
    _insert(connection, "root_findings", findings)
    # A root cut in a session and measured again afterwards stands again.
    query = (
        "SELECT tree_id, measured_on, figures FROM old_measurements "
        "WHERE view = 'top' AND figures IS NOT NULL"
    )
    for tree_id, day, text in connection.exec_driver_sql(query).fetchall():
        for root in (_object(text).get("roots")) or []:
            letters.seen(tree_id, root["label"], day)


def _fixed_by_hand(connection, letters) -> None:
    query = "SELECT tree_id, holds, gap_methods, returns FROM old_targets"
    for tree_id, holds, methods, back in connection.exec_driver_sql(query).fetchall():
        kept = {
            (int(hold["year"]), hold.get("allow") or "none"): (hold.get("why") or "")[:200]
            for hold in _list(holds)
        }
        _insert(
            connection,
            "target_holds",
            [
                {"tree_id": tree_id, "year": year, "allow": allow, "why": why}
                for (year, allow), why in kept.items()
                if MIN_YEAR <= year <= MAX_YEAR
            ],
        )
        pairs = [(name.partition("-"), method) for name, method in _object(methods).items()]
        _insert(
            connection,
            "gap_plans",
            [
                {
                    "tree_id": tree_id,
                    "first_root_id": letters.row(tree_id, first)["id"],
                    "second_root_id": letters.row(tree_id, second)["id"],
                    "method": method,
                }
                for (first, dash, second), method in pairs
                if dash
            ],
        )
        _insert(
            connection,
            "root_regrowth",
            [
                {"tree_id": tree_id, "root_id": letters.row(tree_id, label)["id"], "years": years}
                for label, years in _object(back).items()
                if isinstance(years, int) and 1 <= years <= MAX_YEARS_BACK
            ],
        )
