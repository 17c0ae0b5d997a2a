#!/usr/bin/env bash
# Installs what is missing on a Debian machine with Go and Node.js.
# Usage: setup.sh run    what the application needs
#        setup.sh test   and what its tests need
set -euo pipefail
cd "$(dirname "$0")/.."

want=()
need() { # need PROGRAM PACKAGE
	command -v "$1" >/dev/null || [ -x "/usr/sbin/$1" ] || want+=("$2")
}
# The core package holds the server without a system service.
need mariadbd mariadb-server-core
need mariadb-install-db mariadb-server-core
need my_print_defaults mariadb-client-core
need ffmpeg ffmpeg
need rubberband rubberband-cli
need flac flac
if [ "${1:-run}" = test ]; then
	need sox sox
	need unzip unzip
	need mediainfo mediainfo
	# Recorded voices for the tests of measuring come with it.
	[ -e /usr/share/sounds/alsa/Front_Center.wav ] || want+=(alsa-utils)
	[ -e /usr/include/ebur128.h ] || want+=(libebur128-dev)
	command -v gcc >/dev/null || want+=(gcc libc6-dev)
	# Voices in five languages, and instruments and drums.
	[ -e /usr/share/asterisk/sounds/en_US_f_Allison/demo-congrats.g722 ] || want+=(asterisk-core-sounds-en-g722)
	[ -e /usr/share/asterisk/sounds/fr_CA_f_June/demo-congrats.g722 ] || want+=(asterisk-core-sounds-fr-g722)
	[ -e /usr/share/asterisk/sounds/it_IT_m_Carlo/demo-congrats.g722 ] || want+=(asterisk-core-sounds-it-g722)
	[ -e /usr/share/asterisk/sounds/es_MX_f_Allison/demo-congrats.g722 ] || want+=(asterisk-core-sounds-es-g722)
	[ -e /usr/share/asterisk/sounds/ru_RU_f_IvrvoiceRU/demo-congrats.g722 ] || want+=(asterisk-core-sounds-ru-g722)
	[ -e /usr/share/sonic-pi/samples/loop_amen.flac ] || want+=(sonic-pi-samples)
	need chromium chromium
fi
if [ ${#want[@]} -gt 0 ]; then
	mapfile -t want < <(printf '%s\n' "${want[@]}" | sort -u)
	install="apt-get install -y --no-install-recommends ${want[*]}"
	as_root=()
	if [ "$(id -u)" -ne 0 ]; then
		if command -v sudo >/dev/null && { [ -t 0 ] || sudo -n true 2>/dev/null; }; then
			as_root=(sudo)
		else
			echo "These Debian packages are missing: ${want[*]}. Install them as root with:" >&2
			echo "    apt-get update && $install" >&2
			exit 1
		fi
	fi
	echo "Installing ${want[*]} …"
	"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update -qq
	# shellcheck disable=SC2086
	"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive $install >/dev/null
fi
for tool in go $([ "${1:-run}" = test ] && echo node npm); do
	command -v "$tool" >/dev/null || { echo "$tool is missing; install it and try again." >&2; exit 1; }
done
if [ "${1:-run}" = test ] && ! cmp -s package-lock.json node_modules/.installed 2>/dev/null; then
	npm ci --no-audit --no-fund --loglevel=error
	cp package-lock.json node_modules/.installed
fi
