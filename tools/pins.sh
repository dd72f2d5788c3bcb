#!/usr/bin/env bash
# Write constraints.txt anew: the newest versions that fit pyproject.toml, of everything that is installed, built and tested with.
# Run it with the oldest Python that is supported; newer ones take the same versions.
set -eu
cd "$(dirname "$0")/.."
python=${1:-python3}
room=$(mktemp -d)
trap 'rm -rf "$room"' EXIT
unset PIP_CONSTRAINT PIP_BUILD_CONSTRAINT

"$python" -m venv "$room/venv"
pip=$room/venv/bin/pip
# With the newest of every extra, and what builds the package, which else lives in a place of its own.
"$pip" install --quiet --upgrade '.[test,plot,live,cluster,learn,survey]' $("$python" - <<'PYTHON'
import tomllib
print(*tomllib.load(open("pyproject.toml", "rb"))["build-system"]["requires"], "editables")
PYTHON
)
{
  echo "# Made by \`make pins\`: what \`make\` installs, builds and tests with. Also: pip install -c constraints.txt vetrina"
  "$pip" freeze --exclude vetrina | sort --ignore-case
} > "$room/constraints.txt"
diff constraints.txt "$room/constraints.txt" | grep '^[<>]' || echo "nothing new"
cp "$room/constraints.txt" constraints.txt
