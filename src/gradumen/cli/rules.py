"""Rules over readings as the command line takes them: conditions of arguments, and files of rules."""

import argparse
from collections.abc import Callable, Sequence
from datetime import date
from pathlib import Path
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ValidationError

from gradumen.cli.nouns import Verbs, add_organisation, pairs
from gradumen.core.errors import Invalid

R = TypeVar("R", bound=BaseModel)
Run = Callable[..., int]


def add_rule(parser: argparse.ArgumentParser, facts: Sequence[str]) -> None:
    """The days of a rule, and its conditions on facts and on attributes."""
    until = "the first day it is over"
    parser.add_argument("--from", dest="starts_on", required=True, type=date.fromisoformat, metavar="DAY")
    parser.add_argument("--until", dest="ends_on", type=date.fromisoformat, metavar="DAY", help=until)
    for fact in facts:
        parser.add_argument(f"--{fact}", help=f"only of this {fact}; with a * at its end, what begins so")
    condition = "ATTRIBUTE=VALUE"
    parser.add_argument("--where", action="append", default=[], metavar=condition, help="only with this; * as above")


def add_settings(
    verbs: Verbs, add: argparse.ArgumentParser, run_drop: Run, run_apply: Run
) -> Sequence[argparse.ArgumentParser]:
    """Beside the verb that adds a rule those that take one away, and set all of them; each may only be looked at."""
    drop = verbs.add("drop", run_drop, "take a rule away by its name; shows first what that changes")
    drop.add_argument("name")
    apply = verbs.add("apply", run_apply, "set all rules from a YAML file")
    apply.add_argument("file", type=Path)
    for verb in (add, drop, apply):
        verb.add_argument("--check", action="store_true", help="only show what it changes")
        add_organisation(verb)
    return add, drop, apply


def conditions_of(arguments: argparse.Namespace, facts: Sequence[str]) -> dict[str, Any]:
    """The conditions that arguments state.

    Raises:
        Invalid: one on an attribute has no value.
    """
    conditions: dict[str, Any] = {
        fact: _written(value) for fact in facts if (value := getattr(arguments, fact)) is not None
    }
    where = {name: _written(value) for name, value in pairs(arguments.where, "where").items()}
    return conditions | ({"where": where} if where else {})


def _written(value: str) -> Any:
    return {"prefix": value[:-1]} if value.endswith("*") else value


def read_rules(file: Path, form: type[R]) -> list[R]:
    """The rules of a file (`docs/formats.md`).

    Raises:
        Invalid: it is no list of rules; names the rule and its field.
    """
    try:
        told = yaml.load(file.read_text(encoding="utf-8-sig"), Loader=yaml.BaseLoader)
    except yaml.YAMLError as error:
        raise Invalid(f"{file} is no YAML: {error}", field=str(file)) from error
    if not isinstance(told, list):
        raise Invalid(f"{file} is no list of rules", field=str(file))
    found = []
    for place, each in enumerate(told, 1):
        named = {str(key).replace("-", "_"): value for key, value in each.items()} if isinstance(each, dict) else each
        try:
            found.append(form.model_validate(named))
        except ValidationError as error:
            wrong = error.errors()[0]
            field = ".".join(map(str, wrong["loc"]))
            raise Invalid(f"rule {place}, {field or 'all of it'}: {wrong['msg'].lower()}", field=field) from error
    return found


def without(rules: Sequence[R], name: str) -> list[R]:
    """Rules but for the one of a name.

    Raises:
        Invalid: none is called so.
    """
    names = [str(getattr(each, "name", "")) for each in rules]
    if name not in names:
        raise Invalid(f"no rule is called '{name}'; there are: {', '.join(names) or 'none'}", field="name", value=name)
    return [each for each, called in zip(rules, names, strict=True) if called != name]
