#!/usr/bin/env bash
# check.sh BUILD SOURCE COMPILER: installs the build into an empty folder, builds the example on it, runs both, and packs
# the Debian packages.
set -euo pipefail
build=$1 source=$2 compiler=$3
room=$(mktemp -d)
trap 'rm -rf "$room"' EXIT
cmake --install "$build" --prefix "$room/usr" >/dev/null
for file in bin/vprism lib/vprism/vprism-containers.so share/man/man1/vprism-case.1.gz share/man/man7/vprism-chain.7.gz share/fish/vendor_completions.d/vprism.fish share/doc/vprism/copyright share/bash-completion/completions/vprism \
  share/zsh/vendor-completions/_vprism lib/cmake/VastPrism/VastPrismConfig.cmake include/vprism/transform/spectra/spectrum.h; do
  [[ -e $room/usr/$file || -e $room/usr/${file/#lib\/cmake/lib\/x86_64-linux-gnu\/cmake} ]] || { echo "$file is not installed" >&2; exit 1; }
done
[[ $(find "$room/usr/include" -name '*.h' | grep -c '/app/\|/commands/\|/frame/\|/render/\|/formats/') == 0 ]] || { echo "headers of the interface are installed" >&2; exit 1; }
# The installed program finds its module: HDF5 is in it.
[[ $("$room/usr/bin/vprism" inspect "$source/demo/data/dome-tilt.h5" --figure none --out "$room/out") == *'24000 samples'* ]]
# Completion knows commands, options and choices.
PATH=$room/usr/bin:$PATH bash -c "source '$room/usr/share/bash-completion/completions/vprism'
  ask() { COMP_WORDS=(\"\$@\"); COMP_CWORD=\$((\$# - 1)); _vprism; echo \"\${COMPREPLY[*]}\"; }
  [[ \$(ask vprism spectr) == 'spectrum spectrogram' ]] && [[ \$(ask vprism spectrum --windo) == --window ]] &&
  [[ \$(ask vprism spectrum --figure s) == svg ]]"
cmake -S "$source/examples/strongest-line" -B "$room/example" -DCMAKE_PREFIX_PATH="$room/usr" -DCMAKE_CXX_COMPILER="$compiler" >/dev/null
cmake --build "$room/example" >/dev/null
[[ $("$room/example/strongest-line") =~ ^31\.(19|20) ]]
(cd "$build" && cpack -G DEB -B "$room/deb" >/dev/null)
[[ $(dpkg-deb -c "$room"/deb/vprism_*.deb) == *' ./usr/bin/vprism'* ]]
[[ $(dpkg-deb -c "$room"/deb/vprism-dev_*.deb) == *VastPrismConfig.cmake* ]]
[[ $(dpkg-deb -f "$room"/deb/vprism_*.deb Depends) == *gnuplot-nox* ]]
# Debian's own check of packages finds no errors.
if command -v lintian >/dev/null; then lintian --allow-root --fail-on error "$room"/deb/vprism_*.deb >"$room/lintian" 2>&1 || { cat "$room/lintian" >&2; exit 1; }; fi
# The reference of the core's headers is made without a warning.
if command -v doxygen >/dev/null; then
  (cd "$source/docs" && (cat Doxyfile; echo "OUTPUT_DIRECTORY = $room/reference") | doxygen -)
  [[ -e $room/reference/html/spectrum__estimator_8h.html ]]
fi
