"""The package as it is installed elsewhere: it has all it needs, and runs outside the checkout."""

import os
import shutil
import socket
import subprocess
import sys
import sysconfig
import tempfile
import time
import unittest
import urllib.request
from importlib.metadata import version
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent
LOADED_WITHIN_S = 600
SOURCES = ("mirvo", "pyproject.toml", "README.md", "NOTICE")


def run(*command, **how):
    done = subprocess.run(
        [str(part) for part in command], capture_output=True, text=True, check=False, **how
    )
    if done.returncode:
        raise AssertionError(done.stdout + done.stderr)
    return done.stdout


class WheelTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        cls.folder = Path(folder)
        # Built from a copy, so that nothing is left in the checkout.
        source = cls.folder / "source"
        source.mkdir()
        for name in SOURCES:
            place = ROOT / name
            if place.is_dir():
                shutil.copytree(place, source / name, ignore=shutil.ignore_patterns("__pycache__"))
            elif place.exists():
                shutil.copy2(place, source / name)
        building = ("--no-deps", "--no-build-isolation", "--quiet", "--wheel-dir", cls.folder)
        run(sys.executable, "-m", "pip", "wheel", *building, source)
        [wheel] = cls.folder.glob("mirvo-*.whl")
        shutil.rmtree(source)
        place = cls.folder / "env"
        run(sys.executable, "-m", "venv", "--without-pip", place)
        cls.bin = place / "bin"
        quiet = ("--no-deps", "--no-index", "--quiet")
        at = ("--python", cls.bin / "python")
        run(sys.executable, "-m", "pip", *at, "install", *quiet, wheel)
        # The libraries of this environment, without Mirvo itself, which is linked in by a file.
        [packages] = (place / "lib").glob("python*/site-packages")
        (packages / "libraries.pth").write_text(sysconfig.get_path("purelib"))

    def environment(self):
        return {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}

    def test_it_is_the_installed_one_and_says_its_version(self):
        how = {"cwd": self.folder, "env": self.environment()}
        asked = "import mirvo; print(mirvo.__file__)"
        self.assertIn(str(self.folder), run(self.bin / "python", "-c", asked, **how))
        said = run(self.bin / "mirvo", "--version", **how)
        self.assertEqual(said.strip(), f"mirvo {version('mirvo')}")

    def test_it_makes_the_demo_and_serves_it(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        command = [self.bin / "mirvo", "demo", "--data", self.folder / "data", "--port", str(port)]
        with subprocess.Popen(
            command, cwd=self.folder, env=self.environment(), stdout=subprocess.DEVNULL
        ) as server:
            try:
                page = self.page_of(server, f"http://127.0.0.1:{port}/trees")
            finally:
                server.terminate()
                server.wait()
        self.assertIn("Quarry hawthorn", page)
        self.assertIn("/static/css/mirvo.css", page)

    def page_of(self, server, address):
        for _ in range(LOADED_WITHIN_S):
            try:
                with urllib.request.urlopen(address, timeout=60) as answer:
                    return answer.read().decode()
            except OSError:
                if server.poll() is not None:
                    break
                time.sleep(1)
        raise AssertionError("it was never served")


if __name__ == "__main__":
    unittest.main()
