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
        self.names = list(case.get("containers") or USUAL)
        for name in (self.state["container"], "final pot"):
            if name not in self.names:
                self.names.append(name)
        self.need = self.target["pot_depth_mm"] - 20
        self.faults = sorted(
            case.get("faults", []),
            key=lambda fault: (fault.get("after_graft", False), fault["priority"]),
        )
        self.held = {hold["year"]: hold["allow"] for hold in case.get("holds", [])}
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
        self.tolls = {}

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
        """Edge, bearing, what a session may take beside the edge, and so where grafts are set."""
        budget, worth = self.case["species"]["budget"], self.case.get("worth", 1.0)
        own = min(0.85, budget[self.school] * self.factor(year) * worth)
        gentle = min(0.85, budget["gentle"] * self.factor(year) * worth)
        bearing = min(0.85, budget["bold"] * self.factor(year))
        edge = min(0.1, gentle / 4)
        limit = min(own, bearing)
        if self.case.get("strength") == "fair" or self.case.get("age") == "old":
            limit = min(limit, bearing * math.sqrt(0.6))
        grafting = max(0.0, 1 - (1 - min(limit, bearing / 2)) / (1 - edge))
        return edge, bearing, 1 - (1 - limit) / (1 - edge), grafting

    def share(self, fault, year):
        if not fault.get("thickens", True):
            return fault["share"]
        return min(0.5, fault["share"] * 1.05 ** (year - self.today - 1))

    def fault_ways(self, place, left, year, room, empty, first, grafted):
        """(place, left, taken) after each way to go on with the faults."""
        ways, taken = [(place, left, 0.0)], 0.0
        while place < len(self.faults):
            waits = self.faults[place].get("after_graft") and self.grafts
            if waits and (grafted is None or year < grafted + 2):
                break
            share = left * self.share(self.faults[place], year)
            parts = 1
            while share / parts > empty + EPS:
                parts += 1
            if taken + share / parts > room + EPS:
                break
            taken += share / parts
            split = parts > 1 or left < 1
            place, left = (place + 1, 1.0) if parts == 1 else (place, left * (1 - 1 / parts))
            ways.append((place, left, taken))
            if split:
                break
        return ways[1:] if first and len(ways) > 1 else ways

    def depths(self, ball, mat, taken, room):
        """(depth, inside) of each slice."""
        factor = 1.3 if mat else 1.0
        half = 1.0 if self.case.get("worth", 1.0) > 1 else 0.5
        wanted = {ball, self.need, ball - math.floor(ball / 2)}
        wanted |= {ball - 10 * n for n in range(1, 40)}
        deepest, least = None, max(10, 0.3 * self.state["trunk_diameter_mm"])
        for cut in range(1, int(ball)):
            inside = taken + self.below * min(1.0, factor * cut / ball)
            if inside <= room + EPS and cut <= half * ball + EPS and ball - cut >= least - EPS:
                deepest = ball - cut
        wanted |= {deepest} if deepest else set()
        for depth in wanted:
            cut = ball - depth
            inside = taken + self.below * min(1.0, factor * cut / ball)
            sliced = depth >= least - EPS and 0 < cut <= half * ball + EPS
            fits = depth == ball or (sliced and (cut >= 10 - EPS or depth == self.need))
            if fits and inside <= room + EPS:
                yield depth, inside

    def inner(self, name, worked):
        by_kind = self.case.get("container_depths_mm", {}).get(name)
        own = self.state.get("inner_depth_mm") if name == self.state["container"] else None
        return by_kind if worked else (own or by_kind)

    def grown_ball(self, ball, name, worked):
        if name == "final pot":
            return ball
        if name == "ground":
            return ball + 20
        inner = self.inner(name, worked)
        if inner is None:
            return ball
        return ball if ball >= inner - 20 else min(inner - 20, ball + 20)

    def run(self):
        start = self.state
        self.walk(
            self.today,
            (0, 1.0),
            start["ball_depth_mm"],
            min(start["woody_depth_mm"], start["ball_depth_mm"]),
            start["container"],
            start.get("last_session_year"),
            False,
            start.get("matted", False),
            0.0,
            0.0,
            None,
        )
        return self.tolls

    def walk(self, year, done, ball, woody, name, last, worked, mat, grown, toll, grafted):
        """Every plan on from the end of a year."""
        if year > self.today and self.arrived(done, ball, name, grown, grafted, year):
            self.tolls[year] = min(toll, self.tolls.get(year, math.inf))
        if year == self.last:
            return
        year += 1
        since = year - (self.today if last is None else last)
        held = self.held.get(year)
        may = held != "none" and (last is None or year - last >= self.interval - EPS)
        must = may and (since >= self.longest - EPS or (self.grafts and not worked))
        if may:
            self.sessions(year, done, ball, woody, name, last, worked, mat, grown, toll, grafted)
        if must or held == "session":
            return
        slow = 0.6 if since > self.longest + EPS else 1.0
        after = self.grown_ball(ball, name, worked)
        more = GROWTH[name] * slow
        self.walk(year, done, after, woody, name, last, worked, mat, grown + more, toll, grafted)

    def sessions(self, year, done, ball, woody, name, last, worked, mat, grown, toll, grafted):
        edge, bearing, empty, grafting = self.limits(year)
        room = grafting if self.grafts and not worked else empty
        trunk = self.state["trunk_diameter_mm"]
        trunk += self.state["growth"]["trunk_mm_per_year"] * grown
        for place, left, taken in self.fault_ways(*done, year, room, empty, not worked, grafted):
            for depth, inside in self.depths(ball, mat, taken, room):
                share = 1 - (1 - edge) * (1 - inside)
                flat = min(woody, depth)
                for pot in self.names:
                    inner = self.inner(pot, True)
                    if pot == "final pot" and depth > self.need + EPS:
                        continue
                    if pot != "final pot" and inner is not None and depth > inner - 20 + EPS:
                        continue
                    board = flat <= trunk + EPS and self.case.get("age") != "old"
                    if pot == "board in a wide pot" and not board:
                        continue
                    self.walk(
                        year,
                        (place, left),
                        self.grown_ball(depth, pot, True),
                        flat,
                        pot,
                        year,
                        True,
                        mat and depth == ball,
                        grown + GROWTH[pot] * (1 - 0.6 * share),
                        toll + 20 + 100 * (share / bearing) ** 2,
                        grafted or (year if self.grafts else None),
                    )

    def arrived(self, done, ball, name, grown, grafted, year):
        growth = self.state["growth"]
        spread = self.state["spread_mm"] + growth["spread_mm_per_year"] * grown
        trunk = self.state["trunk_diameter_mm"] + growth["trunk_mm_per_year"] * grown
        standing = list(self.left)
        if grafted and year >= grafted + 2:
            standing += self.grafts
        return (
            name == "final pot"
            and ball <= self.need + EPS
            and done[0] == len(self.faults)
            and spread / trunk >= self.target["spread_ratio"] - EPS
            and largest_gap(standing) <= self.target["largest_gap_deg"] + EPS
        )
