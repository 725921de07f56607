"""What the worker does: it prints what was issued, which takes longer than a page may."""

from procrastinate.contrib.django import app

from kessa.record.reports.models import Report
from kessa.record.reports.printing import paper


@app.task(name="reports.print_paper", queue="files", aliases=["kessa.reports.tasks.print_paper"])
def print_paper(report: int) -> None:
    """Print a report, once: from then on its paper is the same for everybody."""
    found = Report.across_teams.filter(pk=report, paper=None).first()
    if found is not None:
        Report.across_teams.filter(pk=report, paper=None).update(paper=paper(found.document))
