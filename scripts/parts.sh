# The parts of ./check: what they are, running them side by side, the table at the end. Sourced, with $root set.
logs=$root/target/check
names=()
declare -A speed=() commands=()

# part NAME quick|slow COMMAND...: adds a part.
part() {
  names+=("$1")
  speed[$1]=$2
  commands[$1]=$(printf '%q ' "${@:3}")
}

# tests MODULE GOAL [OPTION...]: runs tests that are compiled already.
tests() {
  local module=$1 goal=$2
  shift 2
  cd "$root" && mvn -B -ntp -Dstyle.color=never -pl "$module" "surefire:$goal" "$@"
}

# The console's own checks; what it is built from was installed by the build.
console() {
  cd "$root/console" && npm run --silent test && npm run --silent lint
}

# How many tests ran by what a part said: the last line of Maven's or of the console's summary.
ran_in() {
  sed 's/\x1b\[[0-9;]*m//g' "$1" |
    sed -nE 's/^(\[[A-Z]+\] )?Tests run: ([0-9]+),.*Skipped: [0-9]+$/\2/p; s/^ *Tests +([0-9]+) passed.*/\1/p' | tail -n 1
}

# Runs one part with its output in a log, and writes down how it ended. A part in which nothing ran has failed.
run_part() {
  local name=$1 begun=$SECONDS status=0 ran
  (eval "${commands[$name]}") >"$logs/$name.log" 2>&1 || status=$?
  times >"$logs/$name.cpu" # its second line: of the children, as 1m2.345s, user and system
  ran=$(ran_in "$logs/$name.log")
  ran=${ran:-0}
  if [[ $status -eq 0 && $ran -eq 0 ]]; then
    echo "Nothing ran." >>"$logs/$name.log"
    status=1
  fi
  printf '%s %s %s %s\n' "$status" "$ran" "$((SECONDS - begun))" \
    "$(awk -F '[ms ]+' 'NR == 2 { print int($1 * 60 + $2 + $3 * 60 + $4) }' "$logs/$name.cpu")" >"$logs/$name.ended"
  if [[ $status -eq 0 ]]; then
    printf '✓ %s: %s tests, %s s\n' "$name" "$ran" "$((SECONDS - begun))"
  else
    printf '✗ %s, after %s s (%s):\n' "$name" "$((SECONDS - begun))" "${logs#"$root"/}/$name.log"
    grep -aE 'FAILURE!|^\[ERROR\]|✗|AssertionError|FAIL |error |^Nothing ran' "$logs/$name.log" | cut -c1-300 | head -n 40 | sed 's/^/    /'
  fi
}

# Builds everything that the parts run, once.
build_all() {
  local begun=$SECONDS
  if ! (cd "$root" && mvn -B -ntp -Dstyle.color=never -T2 -DskipTests -Dconsole.goal=build install) >"$logs/build.log" 2>&1; then
    grep -aE '^\[ERROR\]|error|✗' "$logs/build.log" | cut -c1-300 | head -n 40 | sed 's/^/    /'
    fail "the build failed; all of its output is in ${logs#"$root"/}/build.log"
  fi
  touch "$root/service/target/tolvin-service-runner.jar"
  archive_classes >>"$logs/build.log" 2>&1 || fail "$(tail -n 15 "$logs/build.log")"
  build_seconds=$((SECONDS - begun))
  say "✓ build: $build_seconds s"
}

table() {
  local name status ran seconds cpu sum=0 cpus=0
  printf '\n%-12s %7s %8s %8s\n' part tests seconds 'of CPU'
  printf '%-12s %7s %8s %8s\n' build - "$build_seconds" -
  for name in "$@"; do
    read -r status ran seconds cpu <"$logs/$name.ended"
    sum=$((sum + ran))
    cpus=$((cpus + cpu))
    printf '%-12s %7s %8s %8s%s\n' "$name" "$ran" "$seconds" "$cpu" "$([[ $status -eq 0 ]] || printf '  failed')"
  done
  printf '%-12s %7s %8s %8s\n' all "$sum" "$SECONDS" "$cpus"
}

run_parts() {
  local chosen=() name failed=0
  while [[ $# -gt 0 ]]; do
    if [[ $1 == --quick ]]; then
      for name in "${names[@]}"; do [[ ${speed[$name]} == quick ]] && chosen+=("$name"); done
    elif [[ $1 == --long ]]; then
      : # it changes what a part runs
    elif [[ -n ${commands[$1]:-} ]]; then
      chosen+=("$1")
    else
      fail "There is no part '$1'. There are: ${names[*]}; and --quick."
    fi
    shift
  done
  [[ ${#chosen[@]} -gt 0 ]] || chosen=("${names[@]}")
  mkdir -p "$logs"
  rm -f "$logs"/*
  build_all
  local lanes=${CHECK_LANES:-$(($(nproc) + 1))} # much of a test is waiting for a real server
  for name in "${chosen[@]}"; do
    while [[ $(jobs -rp | wc -l) -ge $lanes ]]; do wait -n || true; done
    run_part "$name" &
  done
  wait
  table "${chosen[@]}"
  for name in "${chosen[@]}"; do
    [[ $(cut -d' ' -f1 "$logs/$name.ended") == 0 ]] || failed=1
  done
  [[ $failed -eq 0 ]] || fail "./check failed"
  say "✓ ./check"
}
