"""The Python client library."""

from gradumen.client.client import Client
from gradumen.client.connection import ServiceUnreachable

__all__ = ["Client", "ServiceUnreachable"]
