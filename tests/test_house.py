"""The house in order: short routes, no room too full, what goes over the wire typed, names with one meaning."""

import ast
import re
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parents[1]
SRC = ROOT / "src" / "ylemorph"


@cache
def modules():
    """Not at the import, which every process of a run does."""
    return {path: ast.parse(path.read_text()) for path in sorted(SRC.rglob("*.py"))}


@cache
def functions():
    kinds = ast.FunctionDef | ast.AsyncFunctionDef
    return [(path, node) for path, tree in modules().items() for node in ast.walk(tree) if isinstance(node, kinds)]


def length(node):
    return node.end_lineno - node.lineno + 1


def test_a_route_parses_calls_and_shapes():
    routes = [node for _, node in functions() if any("api." in ast.unparse(one) for one in node.decorator_list)]
    assert len(routes) > 60
    assert [node.name for node in routes if length(node) > 15] == []


def test_functions_are_short():
    lengths = sorted(length(node) for _, node in functions())
    assert lengths[len(lengths) * 9 // 10] <= 20


def test_no_room_is_too_full():
    folders = {path.parent for path in modules()}
    assert [folder for folder in folders if len(list(folder.glob("[!_]*.py"))) > 20] == []


def test_what_goes_over_the_wire_is_typed():
    untyped = [line for path in modules() for line in path.read_text().splitlines() if "dict[str, Any]" in line]
    assert len(untyped) <= 10


def test_services_are_one_typed_value():
    keys = {key for path in modules() for key in re.findall(r"app\.config\[\"(\w+)\"\]", path.read_text())}
    assert keys <= {"MAX_CONTENT_LENGTH"}  # which Flask itself reads


def test_no_name_has_two_meanings():
    """Classes that other modules import go by one name each."""
    names = [node.name for tree in modules().values() for node in tree.body if isinstance(node, ast.ClassDef)]
    public = [name for name in names if not name.startswith("_")]
    assert sorted({name for name in public if public.count(name) > 1}) == []
