"""Is it time? From records."""

from datetime import timedelta

from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.session import begin, leave
from mirvo.studio.yard.triage import is_it_time
from tests.studio.bench_session.bench_case import BenchCase
from tests.studio_case import TODAY


class TriageTest(BenchCase):
    def close(self, kind):
        self.bench = begin(self.studio, 1, kind)
        self.enter_field("done:place", True)
        return close_session(self.studio, self.bench.id)

    def test_records_say_years_delays_and_rhythm(self):
        leave(self.studio, self.bench.id)
        self.studio.clock = lambda: TODAY - timedelta(days=1100)
        self.close("routine")
        self.studio.clock = lambda: TODAY
        self.close("slip-pot")
        self.close("top-up")
        stands, looked, found = self.read(
            is_it_time, self.studio.today, 1, {"roots_at_holes": True}
        )
        standing = stands.standing
        self.assertEqual((standing.delays, looked.signs), (2, {"roots_at_holes"}))
        self.assertAlmostEqual(standing.interval.months_since / 12, 3.01, 1)
        self.assertEqual(found.kind, "repot_next")
        self.assertIn("row", " ".join(one.refused for one in found.lesser))
