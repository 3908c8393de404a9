"""Every public function of the core says shapes, units, errors and source, and its example runs."""

import doctest
import importlib
import inspect
import pkgutil
from collections.abc import Iterator
from types import FunctionType, ModuleType

import torvix_core
from django.test import SimpleTestCase

SECTIONS = ("Shapes:", "Units:", "Errors:", "Source:", ">>>")


def modules() -> Iterator[ModuleType]:
    for module in pkgutil.walk_packages(torvix_core.__path__, "torvix_core."):
        yield importlib.import_module(module.name)


def public_functions(module: ModuleType) -> Iterator[tuple[str, FunctionType]]:
    for name, member in vars(module).items():
        function = inspect.unwrap(member) if callable(member) else member
        if isinstance(function, FunctionType) and not name.startswith("_") and function.__module__ == module.__name__:
            yield name, function


class Docstrings(SimpleTestCase):
    def test_every_public_function_has_all_sections(self):
        for module in modules():
            for name, function in public_functions(module):
                with self.subTest(function=f"{module.__name__}.{name}"):
                    told = function.__doc__ or ""
                    self.assertEqual([section for section in SECTIONS if section not in told], [])

    def test_every_example_runs_as_printed(self):
        for module in modules():
            with self.subTest(module=module.__name__):
                outcome = doctest.testmod(module)
                self.assertEqual(outcome.failed, 0)

    def test_the_walk_finds_the_functions(self):
        """So that the two tests above cannot pass on nothing."""
        self.assertGreater(sum(1 for module in modules() for _ in public_functions(module)), 35)
