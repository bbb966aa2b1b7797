# Sourced by bin/start and bin/test: checks the machine, installs what is missing, builds. Needs $here.

fail() { echo "halvik: $1" >&2; exit "${2:-1}"; }

check_node() {
  major=$(node -p 'process.versions.node.split(".")[0]' 2>/dev/null) || major=none
  [ "$major" = 20 ] || fail "Halvik needs Node.js 20; this machine has ${major}" 2
}

missing=""
# need_package FILE PACKAGE: notes a Debian package whose file is missing; install_missing installs all of them at once.
need_package() {
  [ -e "$1" ] && return
  [ -f /etc/debian_version ] || fail "$1 is missing and this is no Debian: install $2 by hand" 3
  missing="$missing $2"
}

install_missing() {
  [ -n "$missing" ] || return
  if [ "$(id -u)" != 0 ]; then
    fail "packages are missing; run: sudo apt-get install --no-install-recommends -y$missing" 3
  fi
  echo "Installing$missing …"
  case "$missing " in
    *" postgresql-15 "*)
      if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
        # Halvik makes a cluster of its own; Debian's default one would only sit there
        mkdir -p /etc/postgresql-common
        echo "create_main_cluster = false" > /etc/postgresql-common/createcluster.conf
      fi
      ;;
  esac
  # names of packages hold no blanks: each is an argument of its own
  # shellcheck disable=SC2086
  { apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install --no-install-recommends -y -q $missing; } > /tmp/halvik-apt.$$ 2>&1 || { tail -3 /tmp/halvik-apt.$$ >&2; fail "could not be installed:$missing" 3; }
  rm -f /tmp/halvik-apt.$$
}

# The stamp says for which lock the packages were installed.
install_packages() {
  stamp="$here/node_modules/.halvik-lock"
  wanted=$(cksum < "$here/package-lock.json")
  [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ] && return
  echo "Installing npm packages …"
  (cd "$here" && npm install --ignore-scripts --no-audit --no-fund --loglevel=error) || fail "the npm packages could not be installed"
  cksum < "$here/package-lock.json" > "$stamp"
}

build() {
  built="$here/packages/server/dist/halvik.js"
  if [ -f "$built" ] && [ -f "$here/packages/web/dist/index.html" ] &&
    [ -z "$(find "$here/packages" "$here/scripts" "$here/package-lock.json" -newer "$built" -type f -not -path '*/dist/*' -not -path '*/node_modules/*' -print -quit)" ]; then
    return
  fi
  echo "Building …"
  (cd "$here" && node scripts/build.mjs) || fail "the build failed"
  touch "$built"
}
