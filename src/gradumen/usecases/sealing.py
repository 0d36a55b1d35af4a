"""The keys of secrets: that they are this database's, and sealing all of them anew."""

from gradumen.core.messages import State
from gradumen.store.access.second_factors import all_second_factors, drop_second_factor
from gradumen.store.messages import sealed_messages
from gradumen.store.metering.pulls import PullRow, sealed_pulls
from gradumen.store.organisations.clouds import CloudRow, sealed_clouds
from gradumen.store.sealing import prove, prove_anew, seals_of
from gradumen.store.unit_of_work import Session, use_case


@use_case
def check_seals(tx: Session) -> None:
    """Check that the keys at hand are those of this database; the first time they become so.

    Raises:
        SealBroken: they are those of another one, or their file is gone.
    """
    prove(tx)


@use_case
def seal_anew(tx: Session) -> int:
    """Seal every secret with the newest key; gives how many.

    Raises:
        SealBroken: one of them was sealed with a key that is not at hand.
    """
    seals = seals_of(tx)
    prove(tx)
    prove_anew(tx)
    messages, factors = sealed_messages(tx), all_second_factors(tx)
    reached: list[CloudRow | PullRow] = [*sealed_clouds(tx), *sealed_pulls(tx)]
    for message in messages:
        message.sealed = seals.seal(seals.open(message.sealed or ""))
    for factor in factors:
        factor.sealed = seals.seal(seals.open(factor.sealed))
    for each in reached:
        each.sealed = seals.seal(seals.open(each.sealed))
    return len(messages) + len(factors) + len(reached)


@use_case
def forget_secrets(tx: Session) -> int:
    """Give up every secret whose key is lost, so that the keys at hand become this database's; gives how many.

    People set up their second factors anew; links that were not sent yet are to be made again; tokens of clouds
    and of what is fetched are to be entered again.
    """
    gone = 0
    for message in sealed_messages(tx):
        message.sealed, message.due_at, message.state = None, None, State.FAILED
        message.problem = "its link was sealed with a key that is lost; make it again"
        gone += 1
    for factor in all_second_factors(tx):
        drop_second_factor(tx, factor.user_id)
        gone += 1
    reached: list[CloudRow | PullRow] = [*sealed_clouds(tx), *sealed_pulls(tx)]
    for each in reached:
        each.sealed = ""
        gone += 1
    prove_anew(tx)
    return gone
