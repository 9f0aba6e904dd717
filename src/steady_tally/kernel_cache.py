"""Where compiled kernels are kept between starts.

The folder is named by what the kernels are made from: Numba does not notice when a kernel's helper in another file has
changed. What is no part of a kernel, as a comment, names no other folder. It must be chosen before Numba is imported,
and so this runs when the package is.
"""

from __future__ import annotations

import ast
import hashlib
import os
from collections.abc import Iterator
from importlib.metadata import version
from pathlib import Path

from steady_tally.caches import cache_folder

_VARIABLE = "NUMBA_CACHE_DIR"
_PACKAGE = Path(__file__).resolve().parent
_COMPILES = "njit"


def use_kernel_cache() -> None:
    """Name the folder to Numba, unless the environment does: the project's, else the user's, else a passing one."""
    if _VARIABLE in os.environ:
        return
    digest = hashlib.sha256(version("numba").encode())
    for file in sorted((_PACKAGE / "core").rglob("*.py")):
        text = file.read_text(encoding="utf-8")
        if _COMPILES in text:
            digest.update(f"{file.relative_to(_PACKAGE)}\n{made_from(text)}\n".encode())
    os.environ[_VARIABLE] = str(cache_folder(Path("numba") / digest.hexdigest()[:16]))


def made_from(text: str) -> str:
    """What the compiled functions of a file are made from, as text: themselves, the file's own constants that they use,
    and where other names come from; those of files without compiled functions with all that stands in these."""
    tree = ast.parse(text)
    kernels = [node for node in tree.body if isinstance(node, ast.FunctionDef) and _is_compiled(node)]
    used = {node.id for kernel in kernels for node in ast.walk(kernel) if isinstance(node, ast.Name)}
    return "\n".join([*(_bare(kernel) for kernel in kernels), *_names(tree, used)])


def _is_compiled(function: ast.FunctionDef) -> bool:
    return any(_COMPILES in ast.dump(decorator) for decorator in function.decorator_list)


def _names(tree: ast.Module, used: set[str]) -> Iterator[str]:
    """Where each used name of a file comes from."""
    for node in tree.body:
        if isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            if used & {name.id for target in targets for name in ast.walk(target) if isinstance(name, ast.Name)}:
                yield ast.dump(node)
        elif isinstance(node, ast.ImportFrom) and used & {alias.asname or alias.name for alias in node.names}:
            yield ast.dump(node)
            package, _, inner = (node.module or "").partition(".")
            other = _PACKAGE / f"{inner.replace('.', '/')}.py"
            if package == _PACKAGE.name and other.is_file():
                text = other.read_text(encoding="utf-8")
                if _COMPILES not in text:
                    yield ast.dump(ast.parse(text))


def _bare(function: ast.FunctionDef) -> str:
    """A function without its docstring, and without where it stands in its file."""
    body = function.body[1:] if ast.get_docstring(function) is not None else function.body
    return ast.dump(ast.FunctionDef(function.name, function.args, body or [ast.Pass()], function.decorator_list))
