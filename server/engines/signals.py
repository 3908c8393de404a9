"""What other apps may wait for. A signal, because engines know nothing of those that come after them."""

from django.dispatch import Signal

engine_kept_back = Signal()  # engine=Engine, person=Person: it is confidential from now on
