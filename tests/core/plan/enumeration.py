"""Plain enumeration of every plan of a small case, written from the rules and from nothing else."""

import math
from functools import cache

GROWTH = {
    "final pot": 0.5,
    "usual pot": 0.8,
    "wide training pot": 1.0,
    "basket": 1.15,
    "board in a wide pot": 1.3,
    "ground": 2.0,
}
STRENGTH = {"strong": 1.0, "fair": 0.75}
AGE = {"young": 1.0, "mature": 0.85, "old": 0.7}
USUAL = ["usual pot", "wide training pot", "board in a wide pot", "final pot"]
EPS = 1e-9


def largest_gap(azimuths):
    order = sorted(azimuths)
    if len(order) < 2:
        return 360.0
    return max((b - a) % 360 for a, b in zip(order, order[1:] + order[:1], strict=True))


class Enumeration:
    """Least toll, for each year, of all plans that stand at the target at its end."""

    def __init__(self, case, school):
        self.case, self.state, self.target = case, case["state"], case["target"]
        self.today = int(case["today"][:4])
        self.last = self.today + case["horizon_years"]
        self.interval = max(1.0, case["species"]["interval_years"])
        longest = case["species"].get("longest_interval_years") or math.ceil(2 * self.interval)
        self.longest = max(longest, self.interval + 1)
        self.school = school
        self.last_pot = {
            "depth": self.target["pot_depth_mm"],
            "length": self.target.get("pot_length_mm"),
            "width": self.target.get("pot_width_mm"),
        }
        for pot in case.get("pots", []):
            if pot["kind"] == "final pot":
                self.last_pot = self.inside_of(pot)
                break
        self.need = self.last_pot["depth"] - 20
        self.faults = sorted(case.get("faults", []), key=lambda fault: fault["priority"])
        self.held = {hold["year"]: hold["allow"] for hold in case.get("holds", [])}
        self.decided = case.get("first_session")
        if self.decided:
            before = range(self.today + 1, self.decided["year"])
            self.held |= {**dict.fromkeys(before, "none"), self.decided["year"]: "session"}
        self.below = 1 - self.state.get("surface_share", 0.4)
        azimuths = self.state["root_azimuths_deg"]
        gone = [fault.get("azimuth_deg") for fault in self.faults]
        self.left = [azimuth for azimuth in azimuths if azimuth not in gone]
        aim = self.target["largest_gap_deg"]
        self.grafts = []
        for gap in case.get("gaps", []):
            width = (gap["to_deg"] - gap["from_deg"]) % 360
            if width > aim:
                count = gap.get("grafts") or math.ceil(width / aim - EPS) - 1
                step = width / (count + 1)
                self.grafts += [(gap["from_deg"] + step * n) % 360 for n in range(1, count + 1)]
        self.length0 = self.state.get("ball_length_mm")
        self.width0 = self.state.get("ball_width_mm")
        self.sided = None not in (
            self.length0, self.width0, self.last_pot["length"], self.last_pot["width"]
        )  # fmt: skip
        self.need_length = self.need_width = 0
        if self.sided:
            self.need_length = self.too_long(self.length0, self.last_pot["length"])
            self.need_width = self.too_long(self.width0, self.last_pot["width"])
        self.need_u = max(self.need_length, self.need_width)
        self.pots = self.all_pots()
        self.tolls = {}

    @staticmethod
    def inside_of(pot):
        return {
            "depth": pot["inner_depth_mm"],
            "length": pot.get("inner_length_mm"),
            "width": pot.get("inner_width_mm"),
        }

    @staticmethod
    def too_long(ball, pot):
        return max(0, math.ceil((ball + 20 - pot) / 2 - EPS))

    def all_pots(self):
        """What a session may pot into: (kind, name, inside or None, last)."""
        state, named = self.state, []
        for pot in self.case.get("pots", []):
            if pot["kind"] != "final pot":
                named.append((pot["kind"], pot["name"], self.inside_of(pot), False))
        final = ("final pot", None, self.last_pot, True)
        if self.case.get("only_shelf"):
            own = None
            if state.get("inner_depth_mm"):
                own = {
                    "depth": state["inner_depth_mm"],
                    "length": state.get("inner_length_mm"),
                    "width": state.get("inner_width_mm"),
                }
            return [(state["container"], "its own", own, self.stands_in_last()), final, *named]
        kinds = list(self.case.get("containers") or USUAL)
        if state["container"] not in kinds:
            kinds.append(state["container"])
        by_kind = self.case.get("container_depths_mm", {})
        chosen = [
            (kind, None, {"depth": by_kind[kind], "length": None} if kind in by_kind else None, 0)
            for kind in kinds
            if kind != "final pot"
        ]
        return [*chosen, final, *named]

    def stands_in_last(self):
        state = self.state
        if state["container"] != "final pot":
            return False
        if not state.get("inner_depth_mm"):
            return state["ball_depth_mm"] <= self.need and self.need_u == 0
        return all(
            state.get(f"inner_{name}_mm") is None
            or most is None
            or state[f"inner_{name}_mm"] <= most
            for name, most in self.last_pot.items()
        )

    def size(self, u):
        return (
            self.length0 - 2 * min(u, self.need_length),
            self.width0 - 2 * min(u, self.need_width),
        )

    def edge_taken(self, u, t):
        if not self.sided:
            return 0.0
        (a, b), (c, d) = self.size(u), self.size(u + t)
        return 1 - c * d / (a * b)

    def factor(self, year):
        until = self.case.get("origin_factor_until", self.today + 2)
        origin = self.case.get("origin_factor", 1.0) if year <= until else 1.0
        return (
            STRENGTH[self.case.get("strength", "strong")]
            * AGE[self.case.get("age", "young")]
            * origin
        )

    @cache
    def limits(self, year):
        """Comb, bearing, and the most a session takes: usually, and where grafts are set."""
        budget, worth = self.case["species"]["budget"], self.case.get("worth", 1.0)
        own = min(0.85, budget[self.school] * self.factor(year) * worth)
        gentle = min(0.85, budget["gentle"] * self.factor(year) * worth)
        bearing = min(0.85, budget["bold"] * self.factor(year))
        comb = min(0.1, gentle / 4)
        limit = min(own, bearing)
        if self.case.get("strength") == "fair" or self.case.get("age") == "old":
            limit = min(limit, bearing * math.sqrt(0.6))
        return comb, bearing, limit, min(limit, bearing / 2)

    def share(self, fault, year):
        if not fault.get("thickens", True):
            return fault["share"]
        comb, _, limit, _ = self.limits(year)
        empty = 1 - (1 - limit) / (1 - comb)
        grown = fault["share"] * 1.05 ** (year - self.today - 1)
        return min(grown, max(0.5, fault["share"]), max(2 * empty, fault["share"]))

    def cut_faults(self, lefts, year, worked, grafted):
        """What is left of each fault after a session of a year, and what it takes of them."""
        comb, bearing, limit, grafting = self.limits(year)
        most = grafting if self.grafts and not worked else limit
        lefts, taken, went = list(lefts), 0.0, 0
        if self.decided and year == self.decided["year"]:
            parts = [self.decided["cuts"].get(fault["label"], 0) for fault in self.faults]
            shares = [self.share(fault, year) for fault in self.faults]
            taken = sum(part * share for part, share in zip(parts, shares, strict=True))
            return tuple(1 - part for part in parts), taken

        def q(inside):
            return 1 - (1 - comb) * (1 - inside)

        for place, fault in enumerate(self.faults):
            if lefts[place] == 0:
                continue
            if fault.get("after_graft") and self.grafts and (not grafted or year < grafted + 2):
                continue
            share, parts = lefts[place] * self.share(fault, year), 1
            while q(share / parts) > limit + EPS:
                parts += 1
            inside = taken + share / parts
            if q(inside) > most + EPS:
                continue
            if went and 100 * (q(inside) / bearing) ** 2 > 40 + 1e-6:
                continue
            taken, went = inside, went + 1
            part_before = lefts[place] < 1
            lefts[place] = 0 if parts == 1 else lefts[place] * (1 - 1 / parts)
            if parts > 1 or part_before:
                break
        return tuple(lefts), taken

    def cuts(self, ball, u, mat, taken, comb, most):
        """(depth left, mm off each side, share) of each session."""
        factor = 1.3 if mat else 1.0
        half = 1.0 if self.case.get("worth", 1.0) > 1 else 0.5
        least = max(10, 0.3 * self.state["trunk_diameter_mm"])

        def q(depth, t):
            e = max(comb, self.edge_taken(u, t))
            inside = taken + self.below * min(1.0, factor * (ball - depth) / ball)
            return 1 - (1 - e) * (1 - min(1, inside))

        def sliced(depth):
            cut = ball - depth
            if depth < least - EPS or cut > half * ball + EPS or cut <= 0:
                return False
            return cut >= 10 - EPS or abs(depth - self.need) < EPS

        def trimmed(t):
            if t == 0:
                return True
            if t < 0 or t > self.need_u - u or t > min(self.size(u)) / 4 + EPS:
                return False
            return t >= 5 or t == self.need_u - u

        depths = {ball - 10 * n for n in range(1, 40)} | {self.need, ball - math.floor(ball / 2)}
        depths = {ball} | {depth for depth in depths if sliced(depth)}
        trims = {0}
        if self.sided and self.need_u:
            trims |= {self.need_u - u, (self.need_u - u) // 2}
            free = [t for t in range(self.need_u - u + 1) if self.edge_taken(u, t) <= comb + EPS]
            quarter = min(self.size(u)) / 4 + EPS
            trims |= {max(t for t in free if t <= quarter)}
            for _, name, inside, _ in self.pots:
                if inside and inside.get("length") and name:
                    trims |= {self.pot_need(inside) - u}
        trims = {t for t in trims if trimmed(t)}
        found = {(depth, t) for depth in depths for t in trims}
        for t in trims:
            cut = max(
                (cut for cut in range(1, int(ball) + 1)
                 if ball - cut >= least - EPS and cut <= half * ball + EPS
                 and q(ball - cut, t) <= most + EPS),
                default=0,
            )  # fmt: skip
            if sliced(ball - cut):
                found.add((ball - cut, t))
        if self.sided:
            quarter = min(self.size(u)) / 4 + EPS
            for depth in depths:
                t = max(
                    (t for t in range(self.need_u - u + 1)
                     if t <= quarter and q(depth, t) <= most + EPS),
                    default=0,
                )  # fmt: skip
                if trimmed(t):
                    found.add((depth, t))
        for depth, t in found:
            share = q(depth, t)
            if share <= most + EPS:
                yield depth, u + t, share

    def pot_need(self, inside):
        """Mm off each side before a pot takes the ball; infinite where it never does."""
        off = 0
        for ball, pot, most in (
            (self.length0, inside.get("length"), self.need_length),
            (self.width0, inside.get("width"), self.need_width),
        ):
            if ball is None or self.width0 is None or pot is None:
                continue
            lacking = self.too_long(ball, pot)
            if lacking > most:
                return math.inf
            off = max(off, lacking)
        return off

    def fits(self, pot, depth, u, woody, trunk):
        kind, _, inside, last = pot
        if kind == "board in a wide pot" and (woody > trunk + EPS or self.case.get("age") == "old"):
            return False
        if last and depth > self.need + EPS:
            return False
        return inside is None or (
            depth <= inside["depth"] - 20 + EPS and u >= self.pot_need(inside)
        )

    def after_year(self, pot, ball, u, worked):
        """Depth and trim at the end of a year in a pot."""
        kind, name, inside, last = pot
        if last and name is None:
            return ball, u
        if kind == "ground":
            ball += 20
        elif inside is not None:
            ball = max(ball, min(inside["depth"] - 20, ball + 20))
        walls = inside is not None and inside.get("length") is not None
        if name is not None and (walls or name != "its own"):
            return ball, max(self.pot_need(inside), u - 10)
        grows = kind in ("wide training pot", "basket", "board in a wide pot") and worked
        return ball, max(0, u - 10) if grows or kind == "ground" else u

    def run(self):
        start = self.state
        own = start.get("inner_depth_mm") or self.case.get("container_depths_mm", {}).get(
            start["container"]
        )
        stands = (start["container"], "as it is", {"depth": own} if own else None, False)
        self.walk(
            self.today,
            (1.0,) * len(self.faults),
            start["ball_depth_mm"],
            0,
            min(start["woody_depth_mm"], start["ball_depth_mm"]),
            stands,
            start.get("last_session_year"),
            start.get("last_session_strain", 0),
            False,
            start.get("matted", False),
            0.0,
            0.0,
            None,
        )
        return self.tolls

    def walk(
        self, year, lefts, ball, u, woody, pot, last, strain, worked, mat, grown, toll, grafted
    ):
        """Every plan on from the end of a year."""
        if year > self.today and self.arrived(lefts, pot, worked, grown, grafted, year):
            self.tolls[year] = min(toll, self.tolls.get(year, math.inf))
        if year == self.last:
            return
        year += 1
        since = year - (self.today if last is None else last)
        held = self.held.get(year)
        rest = (strain > 40 + 1e-6) + (strain > 80 + 1e-6)
        wait = self.interval + rest
        if self.school == "gentle":
            wait = max(wait, 2)
        may = held != "none" and (last is None or year - last >= wait - EPS)
        may = may and year > self.state.get("rest_until_year", 0)
        at_once = (self.grafts or self.faults) and not worked
        most = max(self.longest, self.interval + rest)
        must = may and (since >= most - EPS or at_once)
        if may:
            self.sessions(
                year, lefts, ball, u, woody, pot, last, worked, mat, grown, toll, grafted
            )  # fmt: skip
        if must or held == "session":
            return
        slow = 0.6 if since > most + EPS else 1.0
        if worked:
            ball, u = self.after_year(pot, ball, u, False)
        elif pot[0] == "ground":
            ball += 20
        elif pot[2] is not None:
            ball = max(ball, min(pot[2]["depth"] - 20, ball + 20))
        more = GROWTH[pot[0]] * slow
        self.walk(
            year, lefts, ball, u, woody, pot, last, strain, worked, mat, grown + more, toll, grafted
        )

    def sessions(self, year, lefts, ball, u, woody, pot, last, worked, mat, grown, toll, grafted):
        comb, bearing, limit, grafting = self.limits(year)
        most = grafting if self.grafts and not worked else limit
        trunk = self.state["trunk_diameter_mm"]
        trunk += self.state["growth"]["trunk_mm_per_year"] * grown
        then, taken = self.cut_faults(lefts, year, worked, grafted)
        if self.decided and year == self.decided["year"]:
            # What was decided goes, over the limit or not.
            most = max(most, 1 - (1 - comb) * (1 - taken))
        for depth, off, share in self.cuts(ball, u, mat, taken, comb, most):
            flat = min(woody, depth)
            for into in self.pots:
                if not self.fits(into, depth, off, flat, trunk):
                    continue
                strain = 100 * (share / bearing) ** 2
                self.walk(
                    year,
                    then,
                    *self.after_year(into, depth, off, True),
                    flat,
                    into,
                    year,
                    strain,
                    True,
                    mat and depth == ball,
                    grown + GROWTH[into[0]] * (1 - 0.6 * share),
                    toll + 20 + strain,
                    grafted or (year if self.grafts else None),
                )

    def arrived(self, lefts, pot, worked, grown, grafted, year):
        growth = self.state["growth"]
        spread = self.state["spread_mm"] + growth["spread_mm_per_year"] * grown
        trunk = self.state["trunk_diameter_mm"] + growth["trunk_mm_per_year"] * grown
        standing = list(self.left)
        if grafted and year >= grafted + 2:
            standing += self.grafts
        there = pot[3] if worked else self.stands_in_last()
        return (
            there
            and not any(lefts)
            and spread / trunk >= self.target["spread_ratio"] - EPS
            and largest_gap(standing) <= self.target["largest_gap_deg"] + EPS
        )
