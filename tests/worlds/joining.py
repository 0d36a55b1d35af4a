"""Who signs in: the provider's first administrator, and those of its resellers."""

from gradumen.client import Client
from gradumen.core.permissions import Role
from gradumen.wire.access.sessions import SetUp
from tests.conftest import CODE

PASSWORD = "a long enough password"


def begun(url: str) -> Client:
    """Set up the provider; gives its administrator's client."""
    with Client(url) as client:
        client.set_up(
            SetUp(
                code=CODE,
                slug="tarnwick",
                name="Tarnwick",
                country="IE",
                currency="EUR",
                billing_zone="Europe/Dublin",
                email="mara@tarnwick.example",
                user_name="Mara",
                password=PASSWORD,
            )
        )
    provider = Client(url)
    provider.sign_in("mara@tarnwick.example", PASSWORD)
    return provider


def join(provider: Client, url: str, slug: str) -> Client:
    """A reseller's administrator, signed in."""
    email = f"admin@{slug}.example"
    invited = provider.invitations.create(slug, email=email, role=Role.ADMINISTRATOR)
    client = Client(url)
    client.invitations.accept(invited.secret or "", name="Admin", password=PASSWORD)
    client.sign_in(email, PASSWORD)
    return client
