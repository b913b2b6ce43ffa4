#!/usr/bin/env bash
# Makes the Debian package of a release build, build/release/*.deb, and looks whether it is as packages should be: by
# lintian, and by the validators of the desktop entry, the AppStream data and the MIME type.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release
scripts/install.sh packaging/packages.txt
rm -f build/release/open-stage_*.deb
(cd build/release && cpack -G DEB)
package=$(ls build/release/open-stage_*.deb)
desktop-file-validate packaging/open-stage.desktop
appstreamcli validate --no-net packaging/open-stage.metainfo.xml
python3 -c 'import sys, xml.dom.minidom as x; x.parse(sys.argv[1])' packaging/open-stage.mime.xml
# Upstream's own package has no bug number to close.
lintian --no-tag-display-limit --fail-on error --suppress-tags initial-upload-closes-no-bugs "$package"
echo "$package"
