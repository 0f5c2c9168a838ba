# Sourced by setup.sh and install.sh: which system libraries the window needs, and which of them are missing.

# A name to look for in the linker cache, and the Debian package that has it.
libraries=(
  libEGL.so.1:libegl1 libGL.so.1:libgl1 libxkbcommon.so.0:libxkbcommon0 libxkbcommon-x11.so.0:libxkbcommon-x11-0
  libfontconfig.so.1:libfontconfig1 libdbus-1.so.3:libdbus-1-3 libglib-2.0.so.0:libglib2.0-0 libX11-xcb.so.1:libx11-xcb1
  libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4 libxcb-image.so.0:libxcb-image0
  libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-randr.so.0:libxcb-randr0 libxcb-render-util.so.0:libxcb-render-util0
  libasound.so.2:libasound2 libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0 libxcb-xkb.so.1:libxcb-xkb1
)

# Prints the packages of the libraries that are missing, one a line.
missing_libraries() {
  local ldconfig cache entry
  ldconfig=$(command -v ldconfig || echo /sbin/ldconfig)
  cache=$("$ldconfig" -p 2>/dev/null || true)
  for entry in "${libraries[@]}"; do
    case "$cache" in *"${entry%%:*}"*) ;; *) echo "${entry##*:}" ;; esac
  done
}

# The Python to use: 3.11 if it is there, else python3; nothing where there is neither.
find_python() { command -v python3.11 || command -v python3 || true; }

# Whether a Python is new enough.
new_enough() { "$1" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; }

# Whether a Python can make virtual environments.
makes_environments() { "$1" -c 'import ensurepip, venv' 2>/dev/null; }
