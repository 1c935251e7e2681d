# Sourced by ./start and ./check: installs what packages.txt names and this machine lacks.
install_missing() {
  local missing=() p
  while read -r p; do
    case "$p" in ''|'#'*) continue ;; esac
    dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p")
  done < packages.txt
  [ ${#missing[@]} -eq 0 ] && return 0
  echo "installing: ${missing[*]}"
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || { echo "please install as root: apt-get install ${missing[*]}" >&2; return 1; }
    as=(sudo)
  fi
  "${as[@]}" apt-get update -q
  "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}"
}
