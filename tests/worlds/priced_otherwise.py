"""What a month would have come to with another version of a card throughout: what the service says, and plain fractions."""

from datetime import date
from decimal import Decimal
from fractions import Fraction
from random import Random

from gradumen.client import Client
from tests.worlds.making import make_version
from tests.worlds.owed import owed
from tests.worlds.publishing import card_file
from tests.worlds.used import Month
from tests.worlds.worlds import BEGIN, MINOR, Family, Link


def check_other_prices(random: Random, client: Client, family: Family, link: Link, month: Month, seed: int) -> None:
    """A month of a link with a version more than its card has, in place of all those: to the cent, each line rounded."""
    now = owed(family, link, month)
    version = make_version(random, date(2026, 1, 1), link.over)
    plans = [] if family.is_foreign(link) else [family.plan]
    buyers = [each.buyer for each in family.links if (each.seller, each.card) == (link.seller, link.card)]
    file = card_file(link, plans, version, buyers, family.own_service if plans else "")
    asked = client.what_ifs.wait(client.what_ifs.ask(link.seller, f"{month[0]:%Y-%m}", [file]).id, seconds=60)
    assert asked.state == "done", asked.problem
    amounts = [each for each in client.what_ifs.amounts(asked.id) if each.buyer == link.buyer]
    published = link.versions
    link.versions = [version, *(each for each in published if each.named)]
    then = owed(family, link, month)
    link.versions = published
    for expected, found in ((now, [each.before for each in amounts]), (then, [each.after for each in amounts])):
        # A rate's charge has a line for each project that has some of it.
        slack = Fraction(3 * len(expected), 2 * 10 ** MINOR[link.currency])
        wrong = Fraction(sum(found, Decimal(0))) - sum(expected.values())
        assert abs(wrong) <= slack, (
            f"seed {seed}: {BEGIN} {float(wrong)} of {amounts} by {version}: {expected} {family}"
        )
