"""What other apps may wait for. A signal, because the stand knows nothing of those that come after it."""

from django.dispatch import Signal

pull_ended = Signal()  # pull=Pull, its channels stored; also for aborted and incomplete pulls
session_opened = Signal()  # session=Session, at=datetime; also for one that only holds files
