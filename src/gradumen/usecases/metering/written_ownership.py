"""Rules of ownership as they are written: read, checked against what there is, and told."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from gradumen.core.errors import Invalid
from gradumen.core.exact import add, round_half_up, text
from gradumen.core.metering.ownership import (
    FACTS,
    LARGEST_SHARE,
    MOST_OWNERS,
    MOST_SHARES,
    SHARE_PLACES,
    WHERE,
    WHOLE_SHARES,
)
from gradumen.core.names import name_of
from gradumen.store.metering.ownership_rules import Owner, OwnershipRuleRow, Stored
from gradumen.store.organisations.projects import ProjectAt, projects_by_path
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.owners import Rules, ruled_by
from gradumen.usecases.metering.written_by_usage import UsageDivisions, told_by_usage
from gradumen.usecases.scope import Scope
from gradumen.wire.metering.ownership_forms import read_ownership
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm

BY = tuple(each for each in FACTS if each != "meter")
LONGEST = 191
"""Signs of a value."""


def whose(tx: Session, seller: OrganisationRow, stored: Stored) -> dict[str, Any]:
    """Whose a stored rule says that something is, as it is written."""
    if stored.row.look_up is not None:
        table = None if stored.table is None else {value: owner.path for value, owner in stored.table.items()}
        return {"by": stored.row.look_up["by"], "owners": table}
    rest = stored.owners[-1] if stored.row.remainder else None
    remainder = rest.path if rest else None
    if stored.row.by_usage is not None:
        return {"by_usage": told_by_usage(tx, seller, stored), "remainder": remainder}
    if stored.row.shares is None:
        return {"owner": stored.owners[0].path}
    return {"shares": {one.path: one.share for one in stored.owners if one is not rest}, "remainder": remainder}


def read_rules(
    tx: Session, scope: Scope, seller: OrganisationRow, rules: Sequence[OwnershipRuleForm]
) -> tuple[list[OwnershipRuleRow], Rules]:
    """Rules as they are stored, and as they are looked at."""
    named = projects_by_path(tx, {path for each in rules for path in _paths(each)})
    below = scope.tree.below([seller.id])
    projects = {path: project for path, project in named.items() if project.organisation_id in below}
    rows, found, by_usage = [], [], UsageDivisions(tx, scope, seller)
    for place, each in enumerate(rules):
        where = f"rules[{place}]"
        name = name_of(each.name, field=f"{where}.name")
        look_up = _look_up(each, where)
        table = _table(each, projects, seller, where)
        owners = [] if look_up else _owners(each, projects, seller, where)
        last = owners[-1] if each.remainder else None
        if each.ends_on is not None and each.ends_on <= each.starts_on:
            raise Invalid(
                f"rule '{name}' ends on {each.ends_on}, which must be after {each.starts_on}", field=f"{where}.ends_on"
            )
        try:
            conditions = read_ownership(each.conditions, may_be_empty=look_up is not None)
        except Invalid as problem:
            raise Invalid(f"rule '{name}': {problem.message}", field=f"{where}.conditions") from problem
        ids = {one.path: str(projects[one.path].id) for one in owners}
        among = [one for one in owners if one is not last]
        row = OwnershipRuleRow(
            organisation_id=seller.id,
            position=place,
            name=name,
            project_id=projects[owners[0].path].id if owners else None,
            look_up=look_up and {**look_up, "owners": _ids(table, projects)},
            shares=[[ids[one.path], text(one.share)] for one in among] if each.shares else None,
            by_usage=by_usage.read(each, conditions, [ids[one.path] for one in among], where),
            remainder=projects[last.path].id if last else None,
            starts_on=each.starts_on,
            ends_on=each.ends_on,
            conditions=conditions,
        )
        rows.append(row)
        found.append(ruled_by(row, owners, table))
    by_usage.check_no_circle()
    return rows, Rules(found)


def _owners(
    rule: OwnershipRuleForm, projects: Mapping[str, ProjectAt], seller: OrganisationRow, where: str
) -> list[Owner]:
    """Whose what a rule takes is: of one project, or of several by their shares or usage; who has the rest is last."""
    ways = (rule.owner, rule.shares, rule.by_usage)
    if sum(each is not None for each in ways) != 1 or (rule.remainder is not None and rule.owner is not None):
        raise Invalid(_ONE_WAY, field=f"{where}.owner")
    shares = {rule.owner or "": Decimal(1)} if rule.shares is None else dict(rule.shares)
    if rule.by_usage is not None:
        shares = dict.fromkeys(rule.by_usage.among, Decimal(1))
    elif rule.shares is not None:
        _check_shares(rule, where)
    return _named(rule, shares, projects, seller, where) + _rest(rule, shares, projects, seller, where)


def _check_shares(rule: OwnershipRuleForm, where: str) -> None:
    shares, least = rule.shares or {}, 1 if rule.remainder else 2
    if not least <= len(shares) <= MOST_SHARES:
        raise Invalid(
            f"a rule divides among {least} to {MOST_SHARES} projects, not {len(shares)}",
            field=f"{where}.shares",
            value=len(shares),
        )
    if rule.remainder and (total := add(list(shares.values()))) >= WHOLE_SHARES:
        raise Invalid(
            f"shares of {text(total)} leave nothing of {WHOLE_SHARES}; leave the remainder out, or make them smaller",
            field=f"{where}.remainder",
            value=text(total),
        )


def _rest(
    rule: OwnershipRuleForm,
    shares: Mapping[str, Decimal],
    projects: Mapping[str, ProjectAt],
    seller: OrganisationRow,
    where: str,
) -> list[Owner]:
    """Who has what is left."""
    if rule.remainder is None:
        return []
    field = f"{where}.remainder"
    project = _project(rule.remainder, projects, seller, field)
    if rule.shares is not None and rule.remainder in shares:
        told = f"'{rule.remainder[:130]}' has a share already; who has the rest is somebody else"
        raise Invalid(told, field=field, value=rule.remainder[:130])
    left = WHOLE_SHARES - add(list(shares.values())) if rule.shares is not None else Decimal(1)
    return [Owner(project.number, rule.remainder, project.organisation_id, left)]


def _named(
    rule: OwnershipRuleForm,
    shares: Mapping[str, Decimal],
    projects: Mapping[str, ProjectAt],
    seller: OrganisationRow,
    where: str,
) -> list[Owner]:
    found = []
    of_several = "by_usage.among" if rule.by_usage is not None else "shares"
    for path, share in shares.items():
        field = f"{where}.owner" if rule.owner is not None else f"{where}.{of_several}.{path[:130]}"
        project = _project(path, projects, seller, field)
        if not 0 < share < LARGEST_SHARE or round_half_up(share, SHARE_PLACES) != share:
            raise Invalid(
                f"a share is above 0 and below {LARGEST_SHARE}, with at most {SHARE_PLACES} decimal places",
                field=field,
                value=text(share),
            )
        found.append(Owner(project.number, path, project.organisation_id, share))
    return found


_ONE_WAY = (
    "a rule names one owner, or the shares of several, or by what usage it is divided, or what the value is of that "
    "says whose it is; only what is divided has a remainder"
)


def _paths(rule: OwnershipRuleForm) -> list[str]:
    named = [*(rule.shares or {}), *(rule.owners or {}).values(), *(rule.by_usage.among if rule.by_usage else ())]
    return [*named, *(each for each in (rule.owner, rule.remainder) if each)]


def _project(path: str, projects: Mapping[str, ProjectAt], seller: OrganisationRow, field: str) -> ProjectAt:
    project = projects.get(path)
    if project is None:
        raise Invalid(
            f"'{path[:130]}' is no project of {seller.name} or of those it sells to; write organisation/project",
            field=field,
            value=path[:130],
        )
    return project


def _look_up(rule: OwnershipRuleForm, where: str) -> dict[str, Any] | None:
    """What the value is of that says whose something is; None where the rule names owners itself."""
    if rule.by is None:
        if rule.owners is not None:
            raise Invalid("a table of owners needs by: what its values are of", field=f"{where}.by")
        return None
    if any(each is not None for each in (rule.owner, rule.shares, rule.by_usage, rule.remainder)):
        raise Invalid(_ONE_WAY, field=f"{where}.owner")
    if rule.by not in BY and not (rule.by.startswith(WHERE) and 0 < len(rule.by) - len(WHERE) <= 63):
        told = f"by '{rule.by[:80]}' is not one of {', '.join(BY)}, or {WHERE}NAME of an attribute"
        raise Invalid(told, field=f"{where}.by", value=rule.by[:80])
    return {"by": rule.by}


def _table(
    rule: OwnershipRuleForm, projects: Mapping[str, ProjectAt], seller: OrganisationRow, where: str
) -> dict[str, Owner] | None:
    """Owners by value."""
    if rule.by is None or rule.owners is None:
        return None
    if not 0 < len(rule.owners) <= MOST_OWNERS:
        told = f"a table has 1 to {MOST_OWNERS} values, not {len(rule.owners)}"
        raise Invalid(told, field=f"{where}.owners", value=len(rule.owners))
    found = {}
    for value, path in rule.owners.items():
        field = f"{where}.owners.{value[:130]}"
        if not 0 < len(value) <= LONGEST:
            raise Invalid(f"a value has 1 to {LONGEST} signs", field=field, value=value[:80])
        project = _project(path, projects, seller, field)
        found[value] = Owner(project.number, path, project.organisation_id, Decimal(1))
    return found


def _ids(table: Mapping[str, Owner] | None, projects: Mapping[str, ProjectAt]) -> dict[str, str] | None:
    return None if table is None else {value: str(projects[owner.path].id) for value, owner in table.items()}
