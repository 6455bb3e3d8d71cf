"""What nobody needs any more, removed at night: uploads, files attached to nothing, old tries at the door."""

from datetime import datetime, timedelta

from django.contrib.sessions.models import Session

from ..catalog.models import KeptFile
from ..commanding.models import Job
from ..people.models import FailedSignIn, OpenSession
from .models import Upload

#: how long an upload is kept; a file that is attached to nothing; a job that has ended [days]
UPLOADS_DAYS, FILES_DAYS, JOBS_DAYS = 30, 7, 90


def tidy(now: datetime) -> dict[str, int]:
    """Remove what is past its time, and return how many of each."""

    def before(days: int) -> datetime:
        return now - timedelta(days=days)

    removed = {"uploads": Upload.objects.filter(uploaded_at__lt=before(UPLOADS_DAYS)).delete()[0]}
    orphans = KeptFile.loose().filter(brought_at__lt=before(FILES_DAYS))
    for kept in orphans:
        kept.file.delete(save=False)
        kept.delete()
    removed["files"] = len(orphans)
    removed["jobs"] = Job.objects.filter(ended_at__lt=before(JOBS_DAYS)).delete()[0]
    removed["tries"] = FailedSignIn.objects.filter(at__lt=before(1)).delete()[0]
    Session.objects.filter(expire_date__lt=now).delete()
    kept_sessions = Session.objects.values("session_key")
    removed["sessions"] = OpenSession.objects.exclude(key__in=kept_sessions).delete()[0]
    return removed
