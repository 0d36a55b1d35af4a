"""Rules of ownership as they are written: read, checked against what there is, and told."""

from collections.abc import Iterator, Mapping, Sequence
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
from gradumen.store.metering.ownership_rows import OwnershipRuleRow
from gradumen.store.metering.ownership_rules import Owner, Stored
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
    paths = {path for each in rules for path, *_ in _named(each, "")}
    named = projects_by_path(tx, paths | {path for each in rules for path in (each.owners or {}).values()})
    below = scope.tree.below([seller.id])
    projects = {path: project for path, project in named.items() if project.organisation_id in below}
    rows, found, by_usage = [], [], UsageDivisions(tx, scope, seller)
    for place, each in enumerate(rules):
        where = f"rules[{place}]"
        name = name_of(each.name, field=f"{where}.name")
        look_up = _look_up(each, where)
        table = _table(each, projects, seller, where)
        owners = [] if look_up else _owners(each, projects, seller, where)
        last = owners[-1] if each.remainder is not None else None
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
    if rule.shares is not None:
        _check_shares(rule, where)
    found = []
    for path, share, field in _named(rule, where):
        project = _project(path, projects, seller, field)
        if not 0 < share < LARGEST_SHARE or round_half_up(share, SHARE_PLACES) != share:
            raise Invalid(
                f"a share is above 0 and below {LARGEST_SHARE}, with at most {SHARE_PLACES} decimal places",
                field=field,
                value=text(share),
            )
        found.append(Owner(project.number, path, project.organisation_id, share))
    return found


def _named(rule: OwnershipRuleForm, where: str) -> Iterator[tuple[str, Decimal, str]]:
    """The projects that a rule names outside a table, each with its share and its field; who has the rest is last."""
    if rule.owner is not None:
        yield rule.owner, Decimal(1), f"{where}.owner"
    for path, share in (rule.shares or {}).items():
        yield path, share, f"{where}.shares.{path[:130]}"
    for path in dict.fromkeys(rule.by_usage.among if rule.by_usage else ()):
        yield path, Decimal(1), f"{where}.by_usage.among.{path[:130]}"
    if rule.remainder is not None:
        left = Decimal(1) if rule.shares is None else WHOLE_SHARES - add(list(rule.shares.values()))
        yield rule.remainder, left, f"{where}.remainder"


def _check_shares(rule: OwnershipRuleForm, where: str) -> None:
    shares, rest = rule.shares or {}, rule.remainder
    least = 2 if rest is None else 1
    if not least <= len(shares) <= MOST_SHARES:
        raise Invalid(
            f"a rule divides among {least} to {MOST_SHARES} projects, not {len(shares)}",
            field=f"{where}.shares",
            value=len(shares),
        )
    if rest is None:
        return
    if rest in shares:
        told = f"'{rest[:130]}' has a share already; who has the rest is somebody else"
        raise Invalid(told, field=f"{where}.remainder", value=rest[:130])
    if (total := add(list(shares.values()))) >= WHOLE_SHARES:
        raise Invalid(
            f"shares of {text(total)} leave nothing of {WHOLE_SHARES}; leave the remainder out, or make them smaller",
            field=f"{where}.remainder",
            value=text(total),
        )


_ONE_WAY = (
    "a rule names one owner, or the shares of several, or by what usage it is divided, or what the value is of that "
    "says whose it is; only what is divided has a remainder"
)


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
