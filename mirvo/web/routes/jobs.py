"""Long work: how far it is, as a page and for scripts, and a way to stop it."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response, StreamingResponse

from mirvo.studio.ground.jobs import Job
from mirvo.web.access import Role, only
from mirvo.web.forms import wants_json
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
# Often enough for a bar that moves, seldom enough to cost nothing.
POLL_S = 0.1
EVENT_STREAM = "text/event-stream"
JobState = dict[str, Any]


def job_begun(job: Job) -> JSONResponse:
    """For scripts: where a job that was just begun is watched."""
    return JSONResponse({"job": f"/jobs/{job.key}"}, 202)


def job_state(job: Job) -> JobState:
    """How far a job is, and when it is done its result, its page or its problem."""
    state: JobState = {"stage": job.stage, "share": job.share, "done": job.done}
    if not job.done:
        return state
    if job.problem:
        return {**state, "problem": job.problem, "stopped": job.stopped}
    result = None if job.as_json is None else job.as_json(job.result)
    return {**state, "page": job.page, "result": result}


@router.get("/jobs/{key}")
def show_job(reader: Reader, key: str) -> Response:
    """How far a job is; once it is done, on to the page of its result."""
    job = reader.studio.jobs.find(key)
    if wants_json(reader.request):
        return JSONResponse(job_state(job))
    if job.error is not None and not job.alone:
        raise job.error
    if job.done:
        return RedirectResponse(job.page, 303)
    return reader.page("job.html", {"job": job})


@router.get("/jobs/{key}/events")
async def job_events(request: Request, key: str) -> StreamingResponse:
    """The same as it changes, as server-sent events: it waits without holding a thread."""
    job = request.app.state.studio.jobs.find(key)
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingResponse(_events(job), media_type=EVENT_STREAM, headers=headers)


@router.post("/jobs/{key}/stop")
def stop_job(request: Request, studio: StudioDep, key: str) -> Response:
    job = studio.jobs.find(key)
    job.stop()
    return Response(status_code=204) if wants_json(request) else RedirectResponse(job.page, 303)


async def _events(job: Job) -> AsyncIterator[str]:
    last = None
    while True:
        state = job_state(job)
        if state != last:
            yield f"data: {json.dumps(state)}\n\n"
            last = state
        if state["done"]:
            return
        await asyncio.sleep(POLL_S)
