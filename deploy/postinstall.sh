#!/bin/sh
set -e
if [ -d /run/systemd/system ]; then
	systemctl daemon-reload
	systemctl enable --now fachwerk.socket
	systemctl try-restart fachwerk.service
fi
