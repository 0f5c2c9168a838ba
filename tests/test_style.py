"""The size of rooms: files and functions stay small, or say why they do not."""

import ast
import re
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
FILES = sorted((ROOT / "deft_reach").rglob("*.py"))
FILE_LINES, FUNCTION_LINES = 410, 60
REASON = re.compile(r"^ *# Long: \w.{9,}\.$", re.M)


def long_functions(text: str) -> list[str]:
    """The functions that are longer than they should be and do not say why."""
    lines = text.splitlines()
    found = []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            own = "\n".join(lines[node.lineno - 1 : node.end_lineno])
            if own.count("\n") >= FUNCTION_LINES and not REASON.search(own):
                found.append(node.name)
    return found


def in_files(files, faults):
    """What is found in files, by their names: ``faults`` gives what is wrong in a text."""
    found = {}
    for path in files:
        name = str(path.relative_to(ROOT))
        wrong = faults(path.read_text(encoding="utf-8"), name)
        if wrong:
            found[name] = wrong
    return found


def test_files_and_functions_are_small_or_say_why():
    def faults(text, _):
        small = text.count("\n") <= FILE_LINES or REASON.search(text.partition("\nfrom __future__")[0] + "\n")
        return [*([] if small else [f"{text.count(chr(10))} lines"]), *long_functions(text)]

    assert in_files(FILES, faults) == {}


def test_what_is_long_without_a_reason_is_found():
    body = "\n".join(f"    x{k} = {k}" for k in range(60))
    assert long_functions(f"def f():\n{body}\n") == ["f"]
    assert long_functions(f"def f():\n    # Long: one case after the other.\n{body}\n") == []


def test_modules_say_what_they_are():
    silent = in_files(FILES, lambda text, _: text.strip() and not ast.get_docstring(ast.parse(text)))
    assert silent == {}, "a module begins with a docstring"


#: Joined words that are no name of a class: a font.
NAMES_SHOWN = {"DejaVu"}


def class_names_in_sentences(text: str) -> list[str]:
    """Names written LikeThis inside sentences that can be shown."""
    tree = ast.parse(text)
    docstrings = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docstrings:
            found += re.findall(r"\b[A-Z][a-z]+(?:[A-Z][a-z]+)+\b", node.value) if " " in node.value else []
    return [name for name in found if name not in NAMES_SHOWN]


def test_sentences_name_no_class():
    assert in_files(FILES, lambda text, _: class_names_in_sentences(text)) == {}


def test_a_class_named_in_a_sentence_is_found():
    text = '"""Of a CandidateView."""\nsay("CandidateView for now")'
    assert class_names_in_sentences(text) == ["CandidateView"]


def test_packages_of_the_core_are_described_where_they_are_explained():
    page = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    rooms = {path.parent.name for path in (ROOT / "deft_reach" / "core").glob("*/__init__.py")}
    assert rooms and all(f"`core.{room}`" in page for room in rooms)


PUBLIC = [path for path in FILES if "app" not in path.relative_to(ROOT / "deft_reach").parts]
ARRAYS = {"Floats", "Ints", "Flags", "ndarray"}
#: A shape in a docstring: "(n, 3)", "Shape (events,)", "of one shape".
SHAPE = re.compile(r"\(\w+(, ?[^()]+)*,?\)|[Ss]hape")
#: Functions of fewer lines say what they do themselves.
PLAIN_LINES = 4
#: Each function there is the sentence of the finding it is named after.
SENTENCES = "deft_reach/core/analysis/sentences.py"


def names_in(node):
    return {getattr(n, "id", getattr(n, "attr", "")) for n in ast.walk(node)} if node is not None else set()


def own_nodes(function):
    """What a function does itself, without the functions inside it."""
    todo = list(function.body)
    while todo:
        node = todo.pop()
        if not isinstance(node, (ast.FunctionDef, ast.ClassDef, ast.Lambda)):
            yield node
            todo.extend(ast.iter_child_nodes(node))


def poorly_described(text: str, sentences: bool = False) -> list[str]:
    """Public functions whose docstrings lack something: they are there, name the errors that are raised, and give
    the shapes of arrays.
    """
    found = []

    def visit(body, prefix):
        for node in body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                visit(node.body, f"{prefix}{node.name}.")
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
                continue
            doc = ast.get_docstring(node)
            if doc is None:
                if node.end_lineno - node.body[0].lineno + 1 >= PLAIN_LINES and not sentences:
                    found.append(f"{prefix}{node.name}: no docstring")
                doc = ""
            for raised in (n.exc for n in own_nodes(node) if isinstance(n, ast.Raise) and n.exc is not None):
                error = raised.func if isinstance(raised, ast.Call) else raised
                name = getattr(error, "id", "")
                if name[:1].isupper() and name != "NotImplementedError" and name not in doc:
                    found.append(f"{prefix}{node.name}: raises {name}")
            arrays = names_in(node.returns).union(*(names_in(a.annotation) for a in node.args.args)) & ARRAYS
            if arrays and not SHAPE.search(doc):
                found.append(f"{prefix}{node.name}: no shape")

    visit(ast.parse(text).body, "")
    return found


def test_public_functions_say_what_they_do_raise_and_return():
    assert in_files(PUBLIC, lambda text, name: poorly_described(text, name == SENTENCES)) == {}


def test_faults_are_told_with_their_files():
    assert in_files(FILES[:2], lambda text, name: [name]) == {
        str(path.relative_to(ROOT)): [str(path.relative_to(ROOT))] for path in FILES[:2]
    }


def test_docstrings_that_lack_something_are_found():
    body = "    a = 1\n    b = 2\n    c = 3\n    return a + b + c\n"
    assert poorly_described(f"def f():\n{body}") == ["f: no docstring"]
    assert poorly_described(f'def f():\n    """What it does."""\n{body}') == []
    assert poorly_described('def f():\n    """What it does."""\n    raise ValueError("no")\n') == [
        "f: raises ValueError"
    ]
    assert poorly_described('def f():\n    """Raises ValueError."""\n    raise ValueError("no")\n') == []
    assert poorly_described('def f(x: Floats) -> Ints:\n    """What it does."""\n') == ["f: no shape"]
    assert poorly_described('def f(x: Floats) -> Ints:\n    """How many (n,) there are."""\n') == []
