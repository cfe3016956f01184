"""The process that looks at photos: watched, left in the middle, stopped, and asked again."""

import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

from mirvo.core.errors import BadInput
from mirvo.studio.ground.jobs import Stopped, unwatched
from mirvo.studio.ground.vision_worker import FULL, MOST_WAITING
from mirvo.studio.measuring import assist
from tests.studio_case import StudioCase
from tests.waiting import until


class VisionWorkerTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.row, marks = self.photo(self.tree(), size=(1200, 900))
        self.marks = {**marks, "roots": []}

    def propose(self, report=unwatched):
        return assist.prepare_proposals(self.studio, self.row.id, self.marks)(report)

    def stages(self):
        seen = []
        self.propose(lambda stage, share: seen.append((stage, share)))
        return seen

    def test_progress_rises(self):
        shares = [share for _, share in self.stages()]
        self.assertEqual(shares, sorted(shares))

    def test_a_photo_set_up_ahead_is_not_set_up_again(self):
        assist.make_ready(self.studio, self.row.id, self.marks)
        self.propose()  # the first question may have come before it was ready
        stages = {stage for stage, _ in self.stages()} - {""}
        self.assertLessEqual(stages, {"Following the roots"})

    def test_stopping_ends_the_work_and_the_next_is_done(self):
        def stop(stage, share):
            raise Stopped

        with self.assertRaises(Stopped):
            self.propose(stop)
        rough = self.marks["trunk"]["outline"]
        self.assertGreaterEqual(
            len(assist.outline(self.studio, self.row.id, rough).outline), len(rough)
        )
        self.assertTrue(self.propose())

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
        with self.assertRaisesRegex(BadInput, FULL):
            worker.answer(abs, -1)
        self.assertLess(time.monotonic() - begun, 0.3)
        worker.stop()
        until(lambda: not worker._waiting)
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
