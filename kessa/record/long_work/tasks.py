"""What a worker does for others that died, and what it clears away of all that ended."""

from typing import Any

from django.core.management import call_command
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

# What killed its worker so often is not begun again.
_MOST_TRIES = 5
# Hours for which it can be looked up what became of a job.
_JOBS_KEPT_H = 7 * 24


@app.periodic(cron="* * * * *")
@app.task(name="long_work.take_up", queue="alarm", queueing_lock="take-up", pass_context=True)
async def take_up(context: JobContext, timestamp: int) -> None:
    """Begin again what a worker had begun when it was killed: whatever waits for its lock would wait for ever.

    A worker says every ten seconds that it lives; one that said nothing for thirty does not.
    """
    jobs = context.app.job_manager
    for job in await jobs.get_stalled_jobs():
        if job.attempts < _MOST_TRIES:
            await jobs.retry_job(job)
        else:
            await jobs.finish_job(job, Status.FAILED, delete_job=False)


@app.periodic(cron="5 3 * * *")
@app.task(name="long_work.clear_jobs", queueing_lock="clear-jobs", pass_context=True)
async def clear_jobs(context: JobContext, timestamp: int) -> None:
    """Forget jobs that ended, done or not, a week ago."""
    await context.app.job_manager.delete_old_jobs(
        nb_hours=_JOBS_KEPT_H, include_failed=True, include_cancelled=True, include_aborted=True
    )


@app.periodic(cron="11 3 * * *")
@app.task(name="long_work.clear_sessions", queueing_lock="clear-sessions")
def clear_sessions(timestamp: int, **_: Any) -> None:
    """Forget sign-ins that ended."""
    call_command("clearsessions")
