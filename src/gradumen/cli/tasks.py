"""gradumen tasks."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.tasks import TaskBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "tasks", "long work that the service does, in steps")
    listing = verbs.add("list", run_list, "the tasks of your organisation, the last asked first")
    listing.add_argument("--state", help="open, waiting, running, 'needs a hand', done or undone")
    listing.add_argument("--kind", help="only these, like 'bill run'")
    listing.add_argument("--limit", type=int, default=50)
    add_organisation(listing)
    for name, run, text in (
        ("show", run_show, "a task with its steps"),
        ("follow", run_follow, "watch a task until it ends"),
        ("retry", run_retry, "try a task again that needs a hand"),
    ):
        verb = verbs.add(name, run, text)
        verb.add_argument("task", help="its id, or the beginning of it")
        add_organisation(verb)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show tasks."""
    found = client.tasks.list(
        own_organisation(arguments), state=arguments.state, kind=arguments.kind, limit=arguments.limit
    )
    out.body(found)
    out.table(
        ("TASK", "WHAT", "STATE", "MADE", "ASKED, UTC", "BY"),
        [
            (
                str(each.id)[:8],
                f"{each.kind} {each.subject}",
                each.state,
                _made(each),
                f"{each.asked_at:%m-%d %H:%M}",
                each.asked_by or "the service",
            )
            for each in found
        ],
    )
    for each in found:
        if each.state == "needs a hand":
            out.say(f"{str(each.id)[:8]}: {each.problem}; then: gradumen tasks retry {str(each.id)[:8]}")
    if not found:
        out.say("nothing is in progress" if arguments.state == "open" else "no tasks with this")
    return 0


def _made(task: TaskBody) -> str:
    if not task.total:
        return ""
    return f"{task.made} of {task.total} {task.counted}"


def _find(arguments: argparse.Namespace, client: Client) -> UUID:
    organisation = own_organisation(arguments)
    return by_beginning(
        arguments.task,
        lambda: [each.id for each in client.tasks.list(organisation, limit=500)],
        field="task",
        noun="task",
    )


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one."""
    _show(client.tasks.get(_find(arguments, client)), out)
    return 0


def _show(task: TaskBody, out: Out) -> None:
    out.body(task)
    out.say(f"{task.kind} {task.subject}: {task.state}" + (f", {_made(task)}" if task.total else ""))
    if task.problem:
        out.say(f"problem: {task.problem}")
    if task.state == "waiting" and task.attempts:
        out.say(f"attempt {task.attempts + 1} at {task.not_before:%Y-%m-%d %H:%M:%S} UTC")
    out.table(
        ("ATTEMPT", "STEP", "STATE", "SECONDS", "CAME TO"),
        [
            (
                str(each.attempt),
                each.name,
                each.state,
                f"{(each.finished_at - each.started_at).total_seconds():.1f}" if each.finished_at else "",
                ", ".join(f"{name} {value}" for name, value in (each.result or {}).items()) or each.log[:100],
            )
            for each in task.steps
        ],
        right=("ATTEMPT", "SECONDS"),
    )


def run_follow(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Watch one; 1 where it needs a hand."""
    task_id = _find(arguments, client)
    with out.following() as tell:
        task = client.tasks.follow(task_id, tell=tell)
    _show(task, out)
    return 1 if task.state == "needs a hand" else 0


def run_retry(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Try one again."""
    task = client.tasks.retry(_find(arguments, client))
    out.body(task)
    out.say(f"{task.kind} {task.subject}: {task.state}; see gradumen tasks follow {str(task.id)[:8]}")
    return 0
