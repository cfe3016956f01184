"""Long work done beside the pages: how far it has come, what it came to, and a way to stop it."""

from __future__ import annotations

import logging
from collections.abc import Callable
from secrets import token_urlsafe
from threading import Event, Lock, Thread
from typing import Any

from mirvo.core.errors import BadInput, MirvoError, NotFound

log = logging.getLogger(__name__)
# What is being done, and how much of it is done (0 to 1).
Report = Callable[[str, float], None]
# Most work is done before anybody wants to see a bar.
PATIENCE_S = 1.5
STOPS_WITHIN_S = 60.0
KEY_BYTES = 9
# Finished jobs whose results can still be fetched.
MAX_FINISHED = 32
FAILED = "This could not be worked out"
STOPPED = "It was stopped. Nothing was changed."


def unwatched(stage: str, share: float) -> None:
    """For work nobody watches."""


class Stopped(Exception):
    """The work was stopped by hand; it has kept nothing."""


class Job:
    """One piece of work in a thread of its own.

    key : names it in addresses. stage, share : as it reported last. result : what it came to.
    error : what ended it instead. stopped : by hand. seen : its result was shown. keeps : it
    changes the records. alone : no other such job runs beside it. page : address of its result,
    with {} where the result belongs. back : address to go to when it was stopped. as_json : its
    result for scripts; None where a page shows it.
    """

    def __init__(
        self,
        name: str,
        work: Callable[[Report], Any],
        *,
        keeps: bool = False,
        alone: bool = False,
        page: str = "/",
        back: str = "/",
        as_json: Callable[[Any], Any] | None = None,
    ) -> None:
        self.key, self.name = token_urlsafe(KEY_BYTES), name
        self.keeps, self.alone, self.back, self.as_json = keeps, alone, back, as_json
        self.stage, self.share = "", 0.0
        self.result: Any = None
        self.error: Exception | None = None
        self.stopped = self.seen = False
        self._page, self._work = page, work
        self._stopping, self._done = Event(), Event()

    def start(self) -> None:
        Thread(target=self._run, name=self.name, daemon=True).start()

    def _run(self) -> None:
        try:
            self.result = self._work(self._report)
        except Stopped:
            self.stopped = True
        except Exception as error:  # whoever asks hears what became of it
            self.error = error
            if not isinstance(error, MirvoError):
                log.exception("%s failed", self.name)
        finally:
            self._done.set()

    def _report(self, stage: str, share: float) -> None:
        if self._stopping.is_set():
            raise Stopped
        self.stage, self.share = stage, share

    @property
    def done(self) -> bool:
        return self._done.is_set()

    @property
    def stopping(self) -> bool:
        """Whether it was asked to stop."""
        return self._stopping.is_set()

    @property
    def page(self) -> str:
        """Where its result is shown, or where to go on after it was stopped."""
        return self.back if self.stopped else self._page.format(self.result)

    @property
    def problem(self) -> str:
        """Why there is no result, as a sentence; empty while it runs and after a result."""
        if self.stopped:
            return STOPPED
        if self.error is None:
            return ""
        return self.error.message if isinstance(self.error, MirvoError) else f"{FAILED}."

    def wait(self, seconds: float) -> bool:
        """Whether it is done, or is within so many seconds."""
        return self._done.wait(seconds)

    def stop(self) -> None:
        """Ask it to stop at its next report; back when it has."""
        self._stopping.set()
        self._done.wait(STOPS_WITHIN_S)


class Jobs:
    """The long work of one studio.

    patience_s : how long a page waits for a job before it shows how far it is.
    """

    def __init__(self) -> None:
        self.patience_s = PATIENCE_S
        self._lock = Lock()
        # In the order they were begun.
        self._jobs: dict[str, Job] = {}

    def begin(self, name: str, work: Callable[[Report], Any], **how: Any) -> Job:
        """Begin a job; how : as `Job` takes it. A finished one of the same name that ran alone is
        forgotten.

        Raises
        ------
        BadInput : it is to run alone, and another such job is not done.
        """
        job = Job(name, work, **how)
        with self._lock:
            if job.alone:
                busy = next((one for one in self._alone() if not one.done), None)
                if busy is not None:
                    raise BadInput("work", f"{busy.name} is not done yet; wait for it, or stop it")
                for former in [one for one in self._alone() if one.name == name]:
                    del self._jobs[former.key]
            finished = [one.key for one in self._jobs.values() if one.done]
            for key in finished[: max(0, len(finished) - MAX_FINISHED)]:
                del self._jobs[key]
            self._jobs[job.key] = job
        job.start()
        return job

    def _alone(self) -> list[Job]:
        return [job for job in self._jobs.values() if job.alone]

    def named(self, name: str) -> Job | None:
        """The job of a name, at work or done; None where there is none."""
        with self._lock:
            return next((job for job in self._jobs.values() if job.name == name), None)

    def find(self, key: str) -> Job:
        """The job of a key. Raises NotFound."""
        job = self._jobs.get(key)
        if job is None:
            raise NotFound("job", "This work is over; nothing is known of it any more")
        return job

    def forget(self, name: str) -> None:
        """Stop the job of a name and let go of its result."""
        job = self.named(name)
        if job is not None:
            job.stop()
            self._jobs.pop(job.key, None)

    def close(self) -> None:
        """Stop everything."""
        for job in list(self._jobs.values()):
            job.stop()
        self._jobs.clear()
