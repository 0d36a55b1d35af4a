"""The published schema: it takes every file of the demo and refuses each broken example, and models lose nothing."""

import importlib.resources
import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import jsonschema_rs
import pytest
import yaml

from gradumen.core.errors import Invalid
from gradumen.documents.catalogue import read_catalogue, write_catalogue
from gradumen.wire.catalogue.forms.base import Form, read
from gradumen.wire.catalogue.forms.offers import OfferForm
from gradumen.wire.catalogue.forms.plans import PlanForm
from gradumen.wire.catalogue.forms.rate_cards import RateCardForm
from gradumen.wire.catalogue.forms.schema import catalogue_schema
from gradumen.wire.catalogue.forms.services import ServiceForm

DOCS = (Path(__file__).parents[2] / "docs" / "formats.md").read_text()
EXAMPLES = re.findall(r"```yaml\n((?:service|plan|offer|rate-card):.*?)```", DOCS, re.S)
BROKEN = re.findall(r"```yaml broken\n(.*?)```", DOCS, re.S)
MODELS: dict[str, type[Form]] = {
    "service": ServiceForm,
    "plan": PlanForm,
    "offer": OfferForm,
    "rate-card": RateCardForm,
}
SCHEMA = jsonschema_rs.validator_for(catalogue_schema())


def demo() -> list[tuple[str, str]]:
    """The demo's files, with days put in."""
    folder = importlib.resources.files("gradumen.demo") / "catalogue"
    days = {"{first-day}": "2026-01-01", "{change-day}": "2026-10-01", "{next-month}": "2026-12-01"}
    found = []
    for each in sorted(folder.iterdir(), key=lambda each: each.name):
        text = each.read_text()
        for mark, day in days.items():
            text = text.replace(mark, day)
        found.append((each.name, text))
    return found


@pytest.mark.parametrize(("name", "text"), demo())
def test_every_file_of_the_demo_is_valid_as_text_and_as_yaml_types_it(name: str, text: str) -> None:
    for document in read_catalogue([(name, text)]):
        assert SCHEMA.is_valid(document.form), document.form
    for typed in yaml.safe_load_all(text):
        assert SCHEMA.is_valid(json.loads(json.dumps(typed, default=str))), typed


@pytest.mark.parametrize("text", EXAMPLES)
def test_the_examples_of_the_documents_are_valid(text: str) -> None:
    for document in read_catalogue([("example.yaml", text)]):
        assert SCHEMA.is_valid(document.form), list(SCHEMA.iter_errors(document.form))
        read(MODELS[document.kind], document.form)


def test_there_are_examples_of_every_kind() -> None:
    assert {text.partition(":")[0] for text in EXAMPLES} == set(MODELS)
    assert {text.partition(":")[0] for text in BROKEN} == set(MODELS)


@pytest.mark.parametrize("text", BROKEN)
def test_each_broken_example_is_refused_by_schema_and_reader(text: str) -> None:
    (document,) = read_catalogue([("broken.yaml", text)])
    assert not SCHEMA.is_valid(document.form)
    with pytest.raises(Invalid):
        read(MODELS[document.kind], document.form)


def leaves(node: Any, path: str = "") -> dict[str, str]:
    """Every leaf of a form by its path, numbers alike however they are written."""
    if isinstance(node, dict):
        return {key: each for name, value in node.items() for key, each in leaves(value, f"{path}/{name}").items()}
    if isinstance(node, list):
        return {key: each for index, value in enumerate(node) for key, each in leaves(value, f"{path}/{index}").items()}
    text = str(node).lower() if isinstance(node, bool) else str(node)
    return {path: text.rstrip("0").rstrip(".") if re.fullmatch(r"\d+\.\d+", text) else text}


@pytest.mark.parametrize(("name", "text"), [*demo(), *((f"example {n}", text) for n, text in enumerate(EXAMPLES))])
def test_a_file_comes_back_from_its_model_with_nothing_lost(name: str, text: str) -> None:
    for document in read_catalogue([(name, text)]):
        model = read(MODELS[document.kind], document.form)
        (again,) = read_catalogue([(name, write_catalogue([model.plain()]))])
        assert leaves(again.form) == leaves(document.form)
        assert read(MODELS[document.kind], again.form) == model


def test_the_command_line_prints_what_the_interface_answers() -> None:
    printed = subprocess.run(
        [sys.executable, "-m", "gradumen.cli.main", "catalogue", "schema"], capture_output=True, text=True, check=True
    )
    assert json.loads(printed.stdout) == catalogue_schema()
