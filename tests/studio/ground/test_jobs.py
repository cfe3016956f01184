"""Long work beside the pages: watched, stopped, one piece at a time."""

import threading
import unittest

from mirvo.core.errors import BadInput
from mirvo.studio.ground.jobs import Background


class BackgroundTest(unittest.TestCase):
    def setUp(self):
        self.background = Background()
        self.addCleanup(self.background.close)
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
        task = self.background.begin("Counting", self.slow)
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
            self.background.begin("Another", self.slow)
        self.go.set()
        task.wait(60)
        other = self.background.begin("Another", lambda report: 7)
        self.assertTrue(other.wait(60))
        self.assertIs(self.background.task("Counting"), task)

    def test_stopped_at_its_next_report(self):
        task = self.begin()
        stopping = threading.Thread(target=self.background.forget, args=("Counting",))
        stopping.start()
        while not task._stopping.is_set():
            pass
        self.go.set()
        stopping.join(60)
        self.assertTrue(task.stopped)
        self.assertIsNone(task.result)
        self.assertIsNone(self.background.task("Counting"))

    def test_what_ended_it_is_kept_to_be_said(self):
        def broken(report):
            raise BadInput("exchange", "a row is wrong")

        task = self.background.begin("Counting", broken)
        self.assertTrue(task.wait(60))
        self.assertEqual(str(task.error), "exchange: a row is wrong")
        self.background.begin("Counting", lambda report: 1).wait(60)
        self.assertEqual(self.background.task("Counting").result, 1)


if __name__ == "__main__":
    unittest.main()
