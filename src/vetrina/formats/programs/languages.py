"""The languages whose source is read by a grammar: their files, and what the grammars call the little that matters."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:
    from tree_sitter import Parser


class Language(Struct, frozen=True):
    """A language: its grammar (module and function), and whether loggers are called by namespace and type, else by module."""

    name: str
    module: str
    function: str = "language"
    by_type: bool = True

    def parser(self) -> Parser:
        """Return a parser; raise ImportError where the grammar is not installed."""
        from tree_sitter import Language as Grammar  # noqa: PLC0415  (an extra, loaded where it is used)
        from tree_sitter import Parser  # noqa: PLC0415

        return Parser(Grammar(getattr(import_module(self.module), self.function)()))


_SCRIPT = Language("JavaScript", "tree_sitter_javascript", by_type=False)
_TYPED = Language("TypeScript", "tree_sitter_typescript", "language_typescript", by_type=False)
_TAGGED = Language("TypeScript", "tree_sitter_typescript", "language_tsx", by_type=False)
LANGUAGES: dict[str, Language] = {
    ".java": Language("Java", "tree_sitter_java"),
    ".cs": Language("C#", "tree_sitter_c_sharp"),
    **dict.fromkeys((".js", ".jsx", ".mjs", ".cjs"), _SCRIPT),
    **dict.fromkeys((".ts", ".mts", ".cts"), _TYPED),
    ".tsx": _TAGGED,
    ".go": Language("Go", "tree_sitter_go", by_type=False),
    ".rs": Language("Rust", "tree_sitter_rust", by_type=False),
    ".php": Language("PHP", "tree_sitter_php", "language_php"),
    ".rb": Language("Ruby", "tree_sitter_ruby"),
    **dict.fromkeys((".kt", ".kts"), Language("Kotlin", "tree_sitter_kotlin")),
}
PYTHON = frozenset({".py", ".pyw"})

CALLS = frozenset({
    "method_invocation", "invocation_expression", "call_expression", "macro_invocation", "member_call_expression",
    "nullsafe_member_call_expression", "scoped_call_expression", "function_call_expression", "call",
    "object_creation_expression", "new_expression",
})  # fmt: skip
MEMBERS = frozenset({
    "field_access", "member_access_expression", "member_expression", "selector_expression", "field_expression",
    "navigation_expression", "scoped_identifier", "qualified_name", "scoped_property_access_expression", "scope_resolution",
    "class_constant_access_expression", "nullsafe_member_access_expression", "conditional_access_expression",
    "member_binding_expression", "generic_name", "generic_function", "qualified_identifier", "scoped_type_identifier",
    "nested_identifier",
})  # fmt: skip
NAMES = frozenset({
    "identifier", "property_identifier", "private_property_identifier", "field_identifier", "type_identifier", "constant",
    "instance_variable", "class_variable", "global_variable", "name", "this", "self", "super", "package_identifier",
    "shorthand_property_identifier", "namespace_identifier", "simple_identifier", "this_expression", "super_expression",
    "relative_scope", "nil", "null", "null_literal", "false", "true", "boolean_literal", "predefined_type",
})  # fmt: skip
TEXTS = frozenset({
    "string_literal", "string", "template_string", "interpolated_string_expression", "encapsed_string",
    "interpreted_string_literal", "raw_string_literal", "verbatim_string_literal", "heredoc", "nowdoc", "multiline_string_literal",
    "line_string_literal", "multi_line_string_literal",
})  # fmt: skip
CONTENT = frozenset({
    "string_fragment", "multiline_string_fragment", "string_literal_content", "string_content", "interpreted_string_literal_content",
    "raw_string_literal_content", "verbatim_string_literal_content", "heredoc_content", "nowdoc_string", "raw_string_content",
    "string_value",
})  # fmt: skip
ARGUMENTS = frozenset({"arguments", "argument_list", "value_arguments", "token_tree"})
WRAPPED = frozenset({
    "argument", "value_argument", "parenthesized_expression", "expression_list", "variable_name", "expression_statement",
    "statement", "statements", "block_body", "body_statement", "as_expression", "non_null_expression", "await_expression",
    "array_element_initializer", "reference_expression", "unary_expression", "heredoc_body", "interpolation",
    "template_substitution", "exception_variable", "qualified_identifier", "spread_element", "annotated_lambda",
})  # fmt: skip
LAMBDAS = frozenset(
    {"lambda_literal", "block", "do_block", "lambda_expression", "arrow_function", "closure_expression", "lambda"}
)
TYPES = frozenset({
    "class_declaration", "interface_declaration", "enum_declaration", "record_declaration", "struct_declaration", "class",
    "object_declaration", "trait_declaration", "annotation_type_declaration", "record_struct_declaration",
})  # fmt: skip
SPACES = frozenset({"namespace_declaration", "module"})
SETS = frozenset({
    "variable_declarator", "assignment_expression", "assignment", "var_spec", "short_var_declaration", "const_spec",
    "let_declaration", "static_item", "const_item", "property_declaration", "property_element", "const_element",
    "public_field_definition", "field_definition", "operator_assignment", "assignment_statement",
})  # fmt: skip
CATCHES = frozenset({"catch_clause", "rescue", "catch_block"})
