"""Long work beside the pages: watched, stopped, one piece at a time."""

import threading
import unittest

from mirvo.core.errors import BadInput, NotFound
from mirvo.studio.ground.jobs import MAX_FINISHED, Jobs
from tests.waiting import until


class JobsTest(unittest.TestCase):
    def setUp(self):
        self.jobs = Jobs()
        self.addCleanup(self.jobs.close)
        self.go = threading.Event()
        self.addCleanup(self.go.set)

    def slow(self, report):
        """Reports, waits to be let go, and reports again."""
        report("half of it", 0.5)
        self.begun.set()
        self.go.wait(60)
        report("the rest", 0.9)
        return "done"

    def begin(self):
        self.begun = threading.Event()
        task = self.jobs.begin("Counting", self.slow, alone=True)
        self.begun.wait(60)
        return task

    def test_it_says_how_far_it_is_and_what_it_came_to(self):
        task = self.begin()
        self.assertEqual((task.stage, task.share, task.done), ("half of it", 0.5, False))
        self.assertFalse(task.wait(0))
        self.go.set()
        self.assertTrue(task.wait(60))
        self.assertEqual((task.result, task.error, task.stopped), ("done", None, False))

    def test_one_piece_at_a_time(self):
        task = self.begin()
        with self.assertRaisesRegex(BadInput, "Counting is not done yet"):
            self.jobs.begin("Another", self.slow, alone=True)
        self.go.set()
        task.wait(60)
        other = self.jobs.begin("Another", lambda report: 7, alone=True)
        self.assertTrue(other.wait(60))
        self.assertIs(self.jobs.named("Counting"), task)

    def test_stopped_at_its_next_report(self):
        task = self.begin()
        stopping = threading.Thread(target=self.jobs.forget, args=("Counting",))
        stopping.start()
        until(lambda: task.stopping)
        self.go.set()
        stopping.join(60)
        self.assertTrue(task.stopped)
        self.assertIsNone(task.result)
        self.assertIsNone(self.jobs.named("Counting"))

    def test_what_ended_it_is_kept_to_be_said(self):
        def broken(report):
            raise BadInput("exchange", "a row is wrong")

        task = self.jobs.begin("Counting", broken, alone=True)
        self.assertTrue(task.wait(60))
        self.assertEqual(str(task.error), "exchange: a row is wrong")
        self.assertEqual(task.problem, "a row is wrong")
        self.jobs.begin("Counting", lambda report: 1, alone=True).wait(60)
        self.assertEqual(self.jobs.named("Counting").result, 1)

    def test_what_breaks_is_said_without_its_entrails(self):
        with self.assertLogs("mirvo.studio.ground.jobs"):
            job = self.jobs.begin("Counting", lambda report: 1 / 0)
            job.wait(60)
        self.assertEqual(job.problem, "This could not be worked out.")

    def test_others_run_beside_each_other_and_the_oldest_are_let_go(self):
        slow = self.begin()
        made = [self.jobs.begin("Quick", lambda report: 1) for _ in range(MAX_FINISHED + 5)]
        for job in made:
            job.wait(60)
        self.jobs.begin("Quick", lambda report: 1).wait(60)
        self.assertIs(self.jobs.find(slow.key), slow)
        self.assertIs(self.jobs.find(made[-1].key), made[-1])
        with self.assertRaises(NotFound):
            self.jobs.find(made[0].key)

    def test_the_page_of_its_result(self):
        job = self.jobs.begin("Quick", lambda report: 7, page="/photos/{}/desk", back="/trees")
        job.wait(60)
        self.assertEqual(job.page, "/photos/7/desk")


if __name__ == "__main__":
    unittest.main()
