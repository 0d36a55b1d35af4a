"""``scripts/demo``: a service on loopback with the demo's data."""

import argparse
import json
import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
import time
from datetime import UTC, datetime
from pathlib import Path

import httpx
import psutil

from gradumen.core.errors import Conflict, GradumenError
from gradumen.demo import counters, software_vendor
from gradumen.demo.capacity import fell_hosts
from gradumen.demo.check import run_check
from gradumen.demo.clouds import SimulatedCloud
from gradumen.demo.history import CLOSED_MONTHS, Calendar, History
from gradumen.demo.mail import MailSink
from gradumen.demo.metrics import SimulatedMetrics
from gradumen.demo.outside import Outside
from gradumen.demo.scenario import ORGANISATIONS, PASSWORD, SIGNERS, TARNWICK_MEMBERS
from gradumen.demo.stores import SimulatedStore


def main() -> int:
    """Start, make what is missing, and serve until stopped (or check and end)."""
    parser = argparse.ArgumentParser(prog="scripts/demo", description="The demo: a service on loopback with data.")
    parser.add_argument("--size", choices=sorted(CLOSED_MONTHS), default="standard")
    parser.add_argument("--port", type=int, default=8470)
    parser.add_argument(
        "--data", type=Path, help="where the demo's database is; by default /var/tmp/gradumen-demo-SIZE"
    )
    parser.add_argument("--fresh", action="store_true", help="begin again from nothing")
    parser.add_argument("--as-of", type=_moment, help="the business date, or date and hour (UTC); by default now")
    parser.add_argument("--hold", action="store_true", help="let the business clock stand still")
    parser.add_argument("--check", action="store_true", help="show that everything works, then end")
    arguments = parser.parse_args()
    data = arguments.data or Path(f"/var/tmp/gradumen-demo-{arguments.size}-{pwd.getpwuid(os.getuid()).pw_name}")
    service = Service(data, arguments.port)
    try:
        if arguments.fresh:
            _remove(data)
        began = time.monotonic()
        service.start()
        state = data / "demo.json"
        code = data / "set-up-code"
        history = prepare(
            service.url,
            state,
            code,
            size=arguments.size,
            as_of=arguments.as_of,
            hold=arguments.hold,
            outside=service.outside,
        )
        print(f"ready after {time.monotonic() - began:.0f} s", flush=True)
        if arguments.check:
            return run_check(service.url, history)
        _welcome(service.url, service.mail.url, service.cloud.url)
        service.wait()
    except GradumenError as problem:
        print(f"demo: {problem.message}", file=sys.stderr)
        return 1
    finally:
        service.stop()
    return 0


class Service:
    """The service as a process of its own."""

    def __init__(self, data: Path, port: int) -> None:
        self.data, self.url = data, f"http://127.0.0.1:{port}"
        self.port = port
        self.mail = MailSink(data / "mail", port + 1 if port else 0)
        self.cloud = SimulatedCloud("North Fell", port + 2 if port else 0, data / "cloud-accounts.json")
        self.cloud.hosts = lambda: fell_hosts(int(time.time()) // 3600)
        metrics = SimulatedMetrics(counters.TOKEN, port + 3 if port else 0)
        counters.fill(metrics)
        vendor = software_vendor.USER, software_vendor.SECRET
        self.outside = Outside(self.cloud, metrics, SimulatedStore(data / "vendor", *vendor, port + 4 if port else 0))
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it and wait until it is ready.

        Raises:
            GradumenError: it ended instead; shows the end of its log.
        """
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", self.port)) == 0:
                raise GradumenError(f"something listens on port {self.port} already; choose another with --port")
        self.data.mkdir(parents=True, exist_ok=True)
        log = self.data / "service.log"
        self.mail.start()
        for each in self.outside.systems():
            each.start()
        environment = {
            **os.environ,
            "GRADUMEN_CLOCK_CONTROL": "true",
            "GRADUMEN_DATA": str(self.data),
            "GRADUMEN_SMTP": self.mail.smtp,
            "GRADUMEN_MAIL_FROM": "post@clouds.example",
            "GRADUMEN_OUTBOUND": self.outside.addresses(),
        }
        with log.open("ab") as out:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "gradumen.cli.main", "serve", "--port", str(self.port)],
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=out,
                start_new_session=True,
            )
        deadline = time.monotonic() + 120
        while time.monotonic() < deadline:
            if self.process.poll() is not None:
                raise GradumenError(f"the service ended; its log {log} ends:\n{log.read_text()[-1500:]}")
            if self.ready():
                return
            time.sleep(0.1)
        raise GradumenError(f"the service did not answer within 120 s; look at {log}")

    def ready(self) -> bool:
        """Whether it answers."""
        try:
            # Without certificates: to read them again and again slows down who starts.
            return httpx.get(f"{self.url}/readyz", timeout=2, trust_env=False, verify=False).is_success
        except httpx.HTTPError:
            return False

    def wait(self) -> None:
        """Until it ends, or a signal asks us to."""
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            if self.process is not None:
                self.process.wait()
        except KeyboardInterrupt:
            print("stopping")

    def stop(self) -> None:
        """Stop it, and its database with it."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(120)
        self.mail.stop()
        for each in self.outside.systems():
            each.stop()


def _moment(text: str) -> datetime:
    """A date (its noon) or a moment, in UTC and whole hours."""
    moment = datetime.fromisoformat(text if len(text) > 10 else f"{text}T12:00")
    return moment.replace(minute=0, second=0, microsecond=0, tzinfo=moment.tzinfo or UTC).astimezone(UTC)


def prepare(
    url: str,
    state_file: Path,
    code: Path,
    *,
    size: str,
    as_of: datetime | None = None,
    hold: bool = False,
    outside: Outside | None = None,
) -> History:
    """Make the history where it is missing, or carry it on to now, whatever time has passed.

    Args:
        as_of: the business time; None is that of the last start, else the present.
        outside: the simulated systems beside it.
    """
    state = json.loads(state_file.read_text()) if state_file.exists() else None
    kept = state["as_of"] if state else None
    chosen = as_of or (_moment(kept) if kept else None)
    now = chosen or _moment(datetime.now(UTC).isoformat())
    made = datetime.fromisoformat(state["made"]) if state else now
    history = History(url, Calendar(made, CLOSED_MONTHS[state["size"] if state else size]), _say, outside)
    if state is None:
        print(f"making the {size} demo, as of {now:%Y-%m-%d}", flush=True)
        history.make(code.read_text().strip())
        state = {"size": size, "made": now.isoformat(), "until": now.isoformat()}
    until = datetime.fromisoformat(state["until"])
    if now > until:
        until = _carry_on(history, until, now)
    history.mara.clock.set(max(chosen, until) if chosen else None, held=hold)
    state |= {"as_of": chosen.isoformat() if chosen else None, "until": until.isoformat()}
    state_file.write_text(json.dumps(state))
    return history


def _carry_on(history: History, since: datetime, now: datetime) -> datetime:
    """Readings of the time between; where they do not fit, what is there is served. Gives until when there are some."""
    history.mara.clock.set(now, held=True)
    try:
        history.top_up(since.date(), now)
    except GradumenError as problem:
        print(
            f"demo: it cannot carry on from {since:%Y-%m-%d %H:%M} ({problem.message}); "
            "what is there is served as it is, --fresh begins again",
            file=sys.stderr,
            flush=True,
        )
        return since
    return now


def _say(line: str) -> None:
    print(f"  {line}", flush=True)


def _remove(data: Path) -> None:
    """Remove an earlier demo, with its database stopped.

    Raises:
        Conflict: it is still running.
    """
    pid_file = data / "database" / "db.pid"
    if pid_file.exists():
        try:
            process = psutil.Process(int(pid_file.read_text()))
            if str(data) in " ".join(process.cmdline()):
                above = process.parent()
                if above is not None and "serve" in above.cmdline():
                    raise Conflict(
                        f"a demo runs on {data} (process {above.pid}); stop it first, or give another --data"
                    )
                process.terminate()
                process.wait(60)
        except (psutil.NoSuchProcess, ValueError):
            pass
    shutil.rmtree(data, ignore_errors=True)


def _welcome(url: str, mail: str, cloud: str) -> None:
    print(f"\nGradumen is at {url}\n\nPassword of all users: {PASSWORD}\n")
    rows = [(SIGNERS["tarnwick"], "administrator", "Tarnwick Cloud, the provider")]
    rows += [(email, role, "Tarnwick Cloud, the provider") for email, _, role in TARNWICK_MEMBERS]
    rows += [(email, role, f"{each.name}, {each.type}") for each in ORGANISATIONS for email, _, role in each.members]
    for email, role, name in rows:
        print(f"  {email:28} {role:14} {name}")
    print(f"\nMail that the service sends ends at {mail}")
    print(f"Accounts of new customers are made in a simulated cloud at {cloud}/page")
    print("Stop with Ctrl-C; the data stay, --fresh begins again.", flush=True)


if __name__ == "__main__":
    sys.exit(main())
