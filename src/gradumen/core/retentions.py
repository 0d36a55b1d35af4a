"""How long what the service knows is kept, by kind of data: stated here once, and kept by what forgets it."""

from dataclasses import dataclass
from datetime import timedelta

IDEMPOTENCY_KEYS = timedelta(days=7)
MESSAGES = timedelta(days=180)
DEVICES = timedelta(days=180)
WHAT_IFS = timedelta(days=90)
OWNERSHIP_TRIALS = timedelta(days=90)
UPLOADS_BEGUN, UPLOADS_WAITING = timedelta(days=7), timedelta(days=60)
TASKS = timedelta(days=400)
REFUSED_ITEMS = timedelta(days=60)
SIGN_IN_ATTEMPTS = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Retention:
    """A kind of data; ``kept`` is after what time it is forgotten, None never."""

    kind: str
    kept: timedelta | None
    since: str
    """Since when that time runs, or why it is not forgotten."""


RETENTIONS = (
    Retention(
        "Readings and deliveries, as they were sent", None, "documents lead to them, also once they are packed away"
    ),
    Retention("Items of deliveries that were refused, as they were sent", REFUSED_ITEMS, "since they came"),
    Retention("Usage, spells and resources", None, "charges are made from them"),
    Retention("Imported costs", None, "charges are made from them"),
    Retention("Charges, drafts and issued documents", None, "what is issued is never removed; the law asks for it"),
    Retention("Services, plans, rate cards and rules, each version", None, "documents lead to them"),
    Retention("Organisations, subscriptions, limits and their history", None, "documents and showback lead to them"),
    Retention("Record of who did what", None, "it is what others are checked by"),
    Retention("Hosts and pools by day", None, "growth is seen over years"),
    Retention("Tasks that somebody asked for, with their steps", None, "bill runs and new customers lead to them"),
    Retention("Tasks that the service does by itself, with their steps", TASKS, "since they were done"),
    Retention("Messages and notices, with their addresses", MESSAGES, "since they were written"),
    Retention("Files that somebody began to send and did not go on with", UPLOADS_BEGUN, "since the last piece"),
    Retention("Files that are refused, or wait for somebody", UPLOADS_WAITING, "since they were read"),
    Retention("What-ifs and what came of them", WHAT_IFS, "since they were asked"),
    Retention("Trials of rules of ownership and what came of them", OWNERSHIP_TRIALS, "since they were asked"),
    Retention("Devices that are known at sign-in", DEVICES, "since they were used last"),
    Retention("Sessions", timedelta(0), "since they are over"),
    Retention("Attempts at signing in", SIGN_IN_ATTEMPTS, "since the last one"),
    Retention("Answers to repeated calls (Idempotency-Key)", IDEMPOTENCY_KEYS, "since the call"),
)
