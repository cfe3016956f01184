"""The process that looks at photos: watched, left in the middle, stopped, and asked again."""

import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

from mirvo.core.errors import BadInput
from mirvo.studio.ground.vision_worker import FULL, MOST_WAITING, Answer, Refusal, Stage
from mirvo.studio.measuring import assist
from tests.studio_case import StudioCase


class VisionWorkerTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.row, marks = self.photo(self.tree(), size=(1200, 900))
        self.marks = {**marks, "roots": []}

    def propose(self):
        return assist.propose(self.studio, self.row.id, self.marks)

    def test_progress_rises_and_a_result_ends_it(self):
        *stages, last = self.propose()
        shares = [one.share for one in stages]
        self.assertEqual(shares, sorted(shares))
        self.assertIsInstance(last, Answer)

    def test_a_photo_set_up_ahead_is_not_set_up_again(self):
        assist.make_ready(self.studio, self.row.id, self.marks)
        stages = [getattr(one, "stage", None) for one in self.propose()]
        while "Looking for roots" in stages:  # the first question may have come before it
            stages = [getattr(one, "stage", None) for one in self.propose()]
        self.assertEqual(stages, ["Following the roots", None])

    def test_whoever_leaves_in_the_middle_disturbs_nobody(self):
        begun = self.propose()
        self.assertIsInstance(next(begun), Stage)
        begun.close()
        rough = self.marks["trunk"]["outline"]
        found = assist.outline(self.studio, self.row.id, rough)
        self.assertGreaterEqual(len(found.outline), len(rough))
        self.assertIsInstance(list(self.propose())[-1], Answer)

    def test_stopping_ends_the_work_and_the_next_is_done(self):
        begun = self.propose()
        next(begun)
        stopper = threading.Timer(0.05, assist.stop, [self.studio])
        stopper.start()
        last = list(begun)[-1]
        stopper.join()
        self.assertIsInstance(last, (Answer, Refusal))
        self.assertIsInstance(list(self.propose())[-1], Answer)

    def test_one_task_at_a_time_in_turn(self):
        rough = self.marks["trunk"]["outline"]
        found = []
        threads = [
            threading.Thread(
                target=lambda: found.append(assist.outline(self.studio, self.row.id, rough))
            )
            for _ in range(3)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        self.assertEqual(len(found), 3)
        self.assertTrue(all(one == found[0] for one in found))

    def test_a_flood_of_questions_is_told_to_ask_again_and_holds_no_thread(self):
        worker = self.studio.vision
        for _ in range(MOST_WAITING):
            worker.begin(time.sleep, 0.3)
        begun = time.monotonic()
        self.assertEqual(list(worker.ask(abs, -1)), [Refusal("", FULL)])
        self.assertLess(time.monotonic() - begun, 0.3)
        with self.assertRaisesRegex(BadInput, "ask again"):
            worker.answer(abs, -1)
        worker.stop()
        while worker._waiting:
            time.sleep(0.05)
        self.assertEqual(worker.answer(abs, -1), 1)

    def test_what_goes_wrong_inside_comes_back_as_a_sentence(self):
        with self.assertRaises(BadInput) as said:
            assist.outline(self.studio, self.row.id, [[5.0, 5.0]] * 6)
        self.assertIn("larger", said.exception.message)


SERVER = """
import os, sys, time
from mirvo.studio.ground.vision_worker import VisionWorker
if __name__ == "__main__":
    print(VisionWorker().answer(os.getpid), flush=True)
    time.sleep(60)
"""


class KilledServerTest(unittest.TestCase):
    def test_a_killed_server_leaves_no_process_behind(self):
        with tempfile.TemporaryDirectory() as folder:
            script = Path(folder) / "server.py"
            script.write_text(SERVER)
            with subprocess.Popen(
                [sys.executable, script], stdout=subprocess.PIPE, text=True
            ) as server:
                helper = int(server.stdout.readline())
                self.assertTrue(Path(f"/proc/{helper}").exists())
                server.kill()
                server.wait()
            for _ in range(100):
                if not Path(f"/proc/{helper}").exists():
                    return
                time.sleep(0.1)
            self.fail("the process lives on")
