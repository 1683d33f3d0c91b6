#!/bin/sh
set -e
if [ -d /run/systemd/system ] && [ "$1" != upgrade ]; then
	systemctl disable --now fachwerk.socket fachwerk.service
fi
