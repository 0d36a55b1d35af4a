"""A real metrics server, with a history that is written before it starts."""

import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.waiting import wait_until_answers

ENVIRONMENT = Path(__file__).parents[2] / ".setup" / "metrics"


def program(name: str) -> str:
    """A program of Debian's package, installed or unpacked by `scripts/test`."""
    found = shutil.which(name) or str(ENVIRONMENT / "usr" / "bin" / name)
    assert Path(found).exists(), f"{name} is missing; scripts/test unpacks it"
    return found


@contextmanager
def metrics_server(folder: Path, history: str, port: int) -> Iterator[str]:
    """Its address, for as long as it runs.

    Args:
        history: samples in the OpenMetrics text format (1.0), with their times.
    """
    written, data = folder / "history.om", folder / "data"
    written.write_text(history)
    subprocess.run(
        [program("promtool"), "tsdb", "create-blocks-from", "openmetrics", str(written), str(data)],
        check=True,
        capture_output=True,
        timeout=60,
    )
    configured = folder / "metrics.yml"
    configured.write_text("scrape_configs: []\n")
    with (folder / "log").open("wb") as log:
        process = subprocess.Popen(
            [
                program("prometheus"),
                f"--config.file={configured}",
                f"--storage.tsdb.path={data}",
                "--storage.tsdb.retention.time=400d",
                f"--web.listen-address=127.0.0.1:{port}",
            ],
            stdout=log,
            stderr=log,
        )
    url = f"http://127.0.0.1:{port}"
    try:
        wait_until_answers(f"{url}/-/ready", [process], folder / "log", seconds=30)
        yield url
    finally:
        process.terminate()
        process.wait(20)
