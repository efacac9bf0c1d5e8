#!/usr/bin/env bash
# Prints where what is made is kept: in .eskadel, or, where the project's folder is somebody
# else's, in a folder of whoever runs this; localpg/folder.go chooses alike for databases.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd -P)
if [ "$(stat -c %u "$root")" = "$(id -u)" ]; then echo "$root/.eskadel"; else echo "/var/tmp/eskadel-$(id -u)/$(printf %s "$root" | cksum | cut -d' ' -f1)"; fi
