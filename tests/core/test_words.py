"""What is said is a code with arguments, worded in one room: it can be said anew, and in another language."""

import ast
import json
from pathlib import Path

import msgspec
import pytest
from tests.known import known

import cutkey.core
from cutkey.cli.main import main
from cutkey.core.kinds import modules_of
from cutkey.core.model.file import job_bytes
from cutkey.core.model.finding import Finding
from cutkey.core.words.kind import CODES, Words, speak, worded
from cutkey.demo.jobs import demo_job

ROOM = modules_of("cutkey.core.words")


@pytest.fixture
def loudly():
    """Another language: the same words, all in capitals."""

    def loud(wording):
        def said(**args):
            found = wording(**args)
            return found.upper() if isinstance(found, str) else tuple(f.upper() for f in found)

        return said

    speak({code: loud(wording) for code, wording in CODES.items()})
    yield
    speak({})


def _anew(code, args):
    """A sentence put together again from a report."""
    args = {n: Words(**a) if isinstance(a, dict) else a for n, a in args.items()}
    found = CODES[code](
        **{
            n: [Words(**w) if isinstance(w, dict) else w for w in a] if isinstance(a, list) else a
            for n, a in args.items()
        }
    )
    return ("", found) if isinstance(found, str) else found


def _sources():
    return [p for p in Path(cutkey.core.__file__).parent.rglob("*.py") if p.parent.name != "words"]


def test_every_wording_is_in_one_room_and_is_said_somewhere():
    """No finding is made of a sentence, nothing is worded elsewhere, and no wording is left over."""
    said = set()
    for path in (*_sources(), *Path(cutkey.core.__file__).parent.parent.glob("cli/*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Attribute):
                said.add(node.attr)
            elif isinstance(node, ast.Name):
                said.add(node.id)
                assert node.id != "worded", path
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Finding":
                assert len(node.args) > 2 and not isinstance(node.args[2], ast.Constant | ast.JoinedStr), (
                    path,
                    node.lineno,
                )
    assert {code.replace(" ", "_") for code in CODES} <= said and len(CODES) > 150


@pytest.mark.parametrize("name", ["plate", "lid"])
def test_a_kit_says_the_same_from_its_codes_and_everything_in_another_language(
    name, tmp_path, monkeypatch, capsys, loudly
):
    monkeypatch.chdir(tmp_path)
    job, sources = demo_job(name)
    findings = known(sources).kit(job).findings
    assert len(findings) > 10
    for f in findings:
        assert (
            f.title == f.says.heading.upper() != f.says.heading
            and f.text == f.says.english.upper() != f.says.english
        )
        # Whatever is spoken, what was accepted is found again.
        assert f.about[1] == f.says.heading
    Path("job.cutkey").write_bytes(job_bytes(job, sources))
    main(["check", "job.cutkey", "--report", "r.json"])
    rows = json.loads(Path("r.json").read_text(encoding="utf-8"))["findings"]
    assert len(rows) >= len(findings)
    for row in rows:
        title, text = _anew(row["code"], row["args"])
        assert (title.upper(), text.upper()) == (row["title"], row["text"]), row["code"]
    out = capsys.readouterr().out
    assert all(
        (row["severity"] == "sound") != (f"{row['title']}" in out and row["text"] in out) for row in rows
    )


def test_words_are_kept_as_they_were_said_and_a_code_is_worded_once():
    @worded
    def weighs_in_a_test(grams: float, of: object = "") -> tuple[str, str]:
        return "Weight", f"{grams:.0f} g {of}".strip()

    try:
        inner = weighs_in_a_test(2)
        words = weighs_in_a_test(1.6, of=inner)
        assert (words.code, words.title, str(words), words.args["of"]) == (
            "weighs in a test",
            "Weight",
            "2 g 2 g",
            inner,
        )
        assert (
            msgspec.to_builtins(words)["args"]["grams"] == 1.6
            and len({words, weighs_in_a_test(1.6, inner)}) == 1
        )
        row = Finding("weight", "look at", words, limit=1.0).row()
        assert (row["title"], row["text"], row["limit"], row["args"]["grams"]) == (
            "Weight",
            "2 g 2 g",
            1.0,
            1.6,
        )
        with pytest.raises(TypeError, match="worded twice"):
            worded(CODES["weighs in a test"])
    finally:
        del CODES["weighs in a test"]
