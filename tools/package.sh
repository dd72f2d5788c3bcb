#!/usr/bin/env bash
# Build the sdist and the wheel, install each as users do (pip and pipx, in places of their own), and run what was installed.
# Versions are those of PIP_CONSTRAINT, as the Makefile sets it.
set -eu
cd "$(dirname "$0")/.."
python=${1:-python3}
room=$(mktemp -d)
trap 'rm -rf "$room"' EXIT

"$python" -m build --quiet --outdir "$room/dist" .
"$python" -m venv "$room/by-pip"
"$room/by-pip/bin/pip" install --quiet "$room"/dist/*.tar.gz
(cd "$room" && by-pip/bin/vetrina tour sereno > /dev/null && by-pip/bin/vetrina levels sereno/plan.yaml > /dev/null)
PIPX_HOME=$room/pipx PIPX_BIN_DIR=$room/bin PIPX_MAN_DIR=$room/man "$python" -m pipx install --quiet "$room"/dist/*.whl > /dev/null
[ "$("$room/bin/vetrina" --version)" = "$("$room/by-pip/bin/vetrina" --version)" ]
(cd "$room" && bin/vetrina check sereno/plan.yaml --fail-on error > /dev/null)
echo "built, installed by pip from the sdist and by pipx from the wheel, and run: $("$room/bin/vetrina" --version)"
