"""The project itself: what is written about it is true, and the core stands alone."""

from __future__ import annotations

import ast
import doctest
import importlib
import re
import subprocess
import sys
import tomllib
from pathlib import Path

import msgspec
import pytest

from cutkey.cli.main import COMMANDS, main
from cutkey.core.addons import all_features
from cutkey.core.bodies import all_bodies
from cutkey.core.model.addon import AddOn
from cutkey.core.model.cuts import Cut, JointKeys, Keys, Labels, Seam
from cutkey.core.model.filament import Filament
from cutkey.core.model.job import Assignment, GraphicSpec, Job, ModelBase, Source
from cutkey.core.model.placement import Copies, Depth, Placement
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.core.steps import all_steps

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tools"))
kinds_table, report_schema = (importlib.import_module(n) for n in ("kinds_table", "report_schema"))
#: Everything a job file holds.
PARTS = [
    Job,
    Source,
    GraphicSpec,
    ModelBase,
    *all_bodies(),
    AddOn,
    *all_features(),
    *all_steps(),
    Placement,
    Copies,
    Depth,
    Cut,
    Keys,
]
PARTS += [Printer, Filament, Assignment, Seam, JointKeys, Labels, Gauge]


def text(name: str) -> str:
    return (ROOT / name).read_text(encoding="utf-8")


@pytest.mark.parametrize("kind", PARTS)
def test_the_job_format_page_names_every_field(kind):
    page = text("docs/job-format.md")
    for field in msgspec.structs.fields(kind):
        assert f"`{field.name}`" in page or f'"{field.name}"' in page or f" {field.name}," in page, (
            f"{kind.__name__}.{field.name}"
        )


def test_the_tables_of_kinds_are_those_of_the_kinds():
    page = text("docs/job-format.md")
    assert kinds_table.page(page) == page, "run tools/kinds_table.py"
    assert report_schema.text() == text("docs/report.schema.json"), "run tools/report_schema.py"


def test_the_readme_shows_every_picture_and_command():
    page = text("README.md")
    for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
        assert f"docs/screenshots/{picture.name}" in page
    for link in re.findall(r"\]\(([\w./-]+)\)", page):
        assert (ROOT / link).exists(), link
    for command in COMMANDS:
        assert f"cutkey {command} " in page


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_explains_itself(command, capsys):
    with pytest.raises(SystemExit) as stop:
        main([command, "--help"])
    out = capsys.readouterr().out
    assert stop.value.code == 0 and "--report" in out and f"cutkey {command}" in out


def test_the_core_and_the_worker_load_without_qt_or_vtk():
    code = (
        "import sys, cutkey.core.engine.output, cutkey.worker.service, cutkey.cli.main, cutkey.cli.build,"
        " cutkey.demo.jobs\nprint([m for m in sys.modules if m.split('.')[0] in ('PySide6', 'vtkmodules',"
        " 'vtk')])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.stdout == "[]\n", done.stderr


def test_the_graphics_library_is_loaded_piece_by_piece_before_the_scene_asks_for_it():
    """The scene brings no shared library of its own, of Python or of the driver; what is there is frozen.

    A library that comes while Python is held keeps the window waiting until the disk has given it.
    """
    code = """
import gc, sys
import cutkey.app.window
from cutkey.app.stage.loading import load_graphics

def opened():
    return {line.split(maxsplit=5)[5] for line in open("/proc/self/maps") if ".so" in line}

def files():
    return {n for n in sys.modules if n.startswith("vtkmodules.vtk")}

load_graphics()
modules, libraries = files(), opened()
from cutkey.app.stage.scene import Scene
scene = Scene()
scene._window.Render()
brought = sorted(files() - modules), sorted(opened() - libraries)
print(len(modules) > 15, *brought, gc.get_freeze_count() > 10_000)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)
    assert done.stdout == "True [] [] True\n", done.stdout + done.stderr


def test_files_are_short_enough_to_be_read():
    lines = sorted(len(p.read_text(encoding="utf-8").splitlines()) for p in (ROOT / "src").rglob("*.py"))
    assert lines[len(lines) // 2] < 150 and lines[-1] <= 600


def undocumented(tree: ast.Module, inherited: set[str]) -> list[str]:
    """Public functions with arrays or four and more parameters whose docstring has no section for them."""
    found = []
    for owner in [
        tree,
        *(n for n in ast.walk(tree) if isinstance(n, ast.ClassDef) and not n.name.startswith("_")),
    ]:
        for f in (n for n in owner.body if isinstance(n, ast.FunctionDef) and not n.name.startswith("_")):
            args = [
                a
                for a in (*f.args.posonlyargs, *f.args.args, *f.args.kwonlyargs)
                if a.arg not in ("self", "cls")
            ]
            taken = " ".join(ast.unparse(a.annotation) for a in args if a.annotation is not None)
            takes, gives = (
                re.search(r"\b(Float|Int|Bool|Complex|NDArray|ndarray|F32|I32|U8)\b", x)
                for x in (taken, ast.unparse(f.returns or f.args))
            )
            takes_much = bool(takes) or len(args) > 3
            sections = re.search(
                r"Parameters\n-----" if takes_much else r"(Parameters|Returns)\n-----",
                ast.get_docstring(f) or "",
            )
            if sections and isinstance(owner, ast.ClassDef):
                inherited.add(f.name)
            is_property = any(ast.unparse(d) == "property" for d in f.decorator_list)
            if not is_property and not sections and (takes_much or gives):
                found.append(f.name if isinstance(owner, ast.ClassDef) else f"{f.name}()")
    return found


def test_functions_that_take_arrays_or_much_say_what():
    inherited: set[str] = set()
    # A wording is its own description.
    files = [p for p in sorted((ROOT / "src/cutkey/core").rglob("*.py")) if p.parent.name != "words"]
    bare = {p.name: undocumented(ast.parse(text(str(p))), inherited) for p in files}
    left = {p: [n for n in names if n not in inherited] for p, names in bare.items()}
    assert not {p: names for p, names in left.items() if names}


def test_every_package_in_use_is_pinned():
    project = tomllib.loads(text("pyproject.toml"))["project"]
    wanted = [*project["dependencies"], *project["optional-dependencies"]["dev"]]
    pinned = {m[1].lower(): m[2] for m in re.finditer(r"^([\w.-]+)==(\S+)", text("requirements.lock"), re.M)}
    for line in wanted:
        name = re.match(r"[\w.-]+", line)[0].lower()
        assert name in pinned, name
    # 6.12.0 loses a reference to None at every call on Python 3.11.
    assert not pinned["pyside6-essentials"].startswith("6.12")


def test_what_ships_is_there():
    assets = ROOT / "src" / "cutkey" / "app" / "assets"
    assert "SIL OPEN FONT LICENSE" in text("src/cutkey/app/assets/fonts/OFL.txt").upper()
    assert len(list((assets / "fonts").glob("*.ttf"))) >= 4
    used = set()
    for file in (ROOT / "src" / "cutkey" / "app").rglob("*.py"):
        used |= set(re.findall(r'icon\("(\w+)"', file.read_text(encoding="utf-8")))
    icons = {p.stem for p in (assets / "icons").glob("*.svg")}
    assert used <= icons
    paper, night = (
        set(msgspec.json.decode((assets / "themes" / f"{n}.json").read_bytes())) for n in ("paper", "night")
    )
    assert paper == night
    asked = set(re.findall(r"@(\w+)", text("src/cutkey/app/assets/themes/window.qss"))) - {"arrow", "tick"}
    assert asked <= paper


@pytest.mark.parametrize(
    "module",
    sorted(p.relative_to(ROOT / "src") for p in (ROOT / "src").rglob("*.py") if ">>>" in p.read_text()),
    ids=str,
)
def test_examples_in_docstrings_run(module):
    found = doctest.testmod(importlib.import_module(".".join(module.with_suffix("").parts)))
    assert found.attempted > 0 and found.failed == 0


def test_the_rehearsal_may_know_none_of_the_makers():
    """What prints the file in the mind sees the file alone: the linter refuses anything else."""
    import grimp
    from importlinter.contracts.layers import LayersContract

    said = tomllib.loads(text("pyproject.toml"))["tool"]["importlinter"]["contracts"]
    (order,) = [c for c in said if c["type"] == "layers"]
    fields = {k: str(v) if isinstance(v, bool) else v for k, v in order.items() if k not in ("name", "type")}
    contract = LayersContract(order["name"], {"root_packages": ["cutkey"]}, fields)
    graph = grimp.build_graph("cutkey", exclude_type_checking_imports=True)
    assert contract.check(graph, verbose=False).kept
    for maker in ("kit.pieces", "formats.stl", "place.site", "split.split"):
        way = {"importer": "cutkey.core.rehearse.lines", "imported": f"cutkey.core.{maker}"}
        assert way["imported"] in graph.modules
        graph.add_import(**way)
        assert not contract.check(graph, verbose=False).kept, maker
        graph.remove_import(**way)
