# What the commands at the project's root share. Sourced, with $root set.
version=0.1.0-SNAPSHOT

say() { printf '%s\n' "$*"; }
fail() { printf '✗ %s\n' "$*" >&2; exit 1; }

# Where an installation keeps everything, unless --data or TOLVIN_DATA_DIR says otherwise.
data_directory() {
  if [[ -n ${TOLVIN_DATA_DIR:-} ]]; then printf '%s' "$TOLVIN_DATA_DIR"
  elif [[ $EUID -eq 0 ]]; then printf '/var/lib/tolvin'
  else printf '%s' "${XDG_DATA_HOME:-$HOME/.local/share}/tolvin"; fi
}

java_command() {
  if [[ -n ${JAVA_HOME:-} && -x $JAVA_HOME/bin/java ]]; then printf '%s' "$JAVA_HOME/bin/java"
  else command -v java || printf 'java'; fi
}

as_root() {
  if [[ $EUID -eq 0 ]]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else fail "These Debian packages are missing: ${missing[*]}. Install them, or make sudo available."; fi
}

# Installs the Debian packages that are missing. Nothing is started by it.
need_packages() {
  missing=()
  local package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  [[ ${#missing[@]} -eq 0 ]] && return
  say "… installing Debian packages: ${missing[*]}"
  local log; log=$(mktemp)
  # Debian's own hook: a policy that forbids starting services while packages are set up.
  local policy=/usr/sbin/policy-rc.d made=
  if [[ ! -e $policy ]]; then
    printf '#!/bin/sh\nexit 101\n' | as_root tee "$policy" >/dev/null && as_root chmod +x "$policy" && made=yes
  fi
  if ! { as_root env DEBIAN_FRONTEND=noninteractive apt-get -q -o DPkg::Lock::Timeout=300 update &&
         as_root env DEBIAN_FRONTEND=noninteractive apt-get -q -o DPkg::Lock::Timeout=300 \
           install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
    [[ -n $made ]] && as_root rm -f "$policy"
    tail -n 15 "$log" | sed 's/^/    /' >&2
    rm -f "$log"
    fail "installing Debian packages failed: ${missing[*]}"
  fi
  [[ -n $made ]] && as_root rm -f "$policy"
  rm -f "$log"
  say "✓ Debian packages: ${missing[*]}"
}

need_build_tools() {
  local packages=()
  command -v javac >/dev/null || packages+=(openjdk-17-jdk-headless)
  command -v mvn >/dev/null || packages+=(maven)
  command -v node >/dev/null || packages+=(nodejs)
  command -v npm >/dev/null || packages+=(npm)
  need_packages "${packages[@]}"
}

need_servers() {
  need_packages postgresql-15 openssh-server openssh-client libnss-wrapper util-linux git softhsm2 slapd ldap-utils openssl
}

# Runs Maven with its output in a log; shows the end of it when it fails.
maven() {
  local what=$1 log; shift
  log=$(mktemp)
  say "… $what"
  if ! (cd "$root" && mvn -B -ntp "$@") >"$log" 2>&1; then
    grep -E '^\[ERROR\]' "$log" | head -n 30 | sed 's/^/    /' >&2
    rm -f "$log"
    fail "$what failed"
  fi
  rm -f "$log"
  say "✓ $what"
}

# Builds what ./start and ./tolvin run, if a source is newer than what was built.
build_products() {
  local built=$root/service/target/tolvin-service-runner.jar
  if [[ -e $built && -d $root/cli/target/lib && -d $root/standins/target/lib ]] &&
     [[ -z $(find "$root"/{core,api,connectors,service,cli,standins}/{src,pom.xml} "$root"/pom.xml \
               "$root"/console/{src,index.html,package-lock.json} -newer "$built" -type f -print -quit 2>/dev/null) ]]; then
    return
  fi
  need_build_tools
  maven "building (the first time takes some minutes)" -DskipTests -Dspotless.check.skip=true -Dconsole.goal=build \
    -pl core,api,connectors,standins,service,cli install
  touch "$built"
  archive_classes
}

# Writes the archive of the service's classes, with which it starts in half the time.
archive_classes() {
  say "… looking which classes the service loads, so that it starts faster"
  "$(java_command)" -Xmx64m -cp "$root/standins/target/tolvin-standins-$version.jar:$root/standins/target/lib/*" \
    tolvin.standins.local.LocalService "$root"
}
