"""Starts an object store that speaks the S3 protocol, and puts objects there as whoever delivers files would."""

import os
import subprocess
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import httpx

from tests.waiting import wait_until_answers

PYTHON = Path(__file__).parents[3] / ".setup" / "objects" / "bin" / "python"
_SIGNED = "AWS4-HMAC-SHA256 Credential=key/20260101/us-east-1/s3/aws4_request, SignedHeaders=host, Signature=0"
"""It looks at no signature, but at whether there is one."""
_SERVED = "import sys; from moto.server import main; main(['-H', '127.0.0.1', '-p', sys.argv[1]])"


@contextmanager
def object_store(folder: Path, port: int) -> Iterator[str]:
    """Its address, for as long as it runs."""
    with (folder / "out").open("wb") as out:
        process = subprocess.Popen([str(PYTHON), "-c", _SERVED, str(port)], stdout=out, stderr=out, env=os.environ)
    url = f"http://127.0.0.1:{port}"
    try:
        wait_until_answers(f"{url}/moto-api/data.json", [process], folder / "out")
        yield url
    finally:
        process.terminate()
        process.wait(20)


def put(url: str, bucket: str, objects: Mapping[str, bytes]) -> None:
    """Put objects into a bucket, which is made."""
    with httpx.Client(base_url=url, headers={"Authorization": _SIGNED}) as http:
        http.put(f"/{bucket}").raise_for_status()
        for name, content in objects.items():
            http.put(f"/{bucket}/{name}", content=content).raise_for_status()
