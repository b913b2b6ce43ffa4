#!/bin/bash
# Renders the demo in parts under a Slurm of its own on this machine: four slots, a task that is killed and submitted
# again, and the joining step. The movie has to be, frame by frame, the one that a single run makes. Needs root, and
# installs slurm-wlm and munge. Not part of the ordinary tests; docs/many-machines.md tells what it said.
#   scripts/slurm_proof.sh [FOLDER OF THE PROGRAMS]
set -euo pipefail
cd "$(dirname "$0")/.."
bin=$(realpath "${1:-build/release/bin}")
command -v slurmctld > /dev/null && command -v munged > /dev/null || apt-get install -y slurm-wlm munge > /dev/null
work=$(mktemp -d /tmp/slurm-proof.XXXXXX)
export SLURM_CONF=$work/slurm.conf PATH=$bin:$PATH HOME=$work XDG_CACHE_HOME=$work/cache
host=$(hostname -s)
daemons=()
finish() {
  for pid in "${daemons[@]}"; do kill "$pid" 2> /dev/null || true; done
  wait 2> /dev/null || true
  rm -rf "$work"
}
trap finish EXIT

# ---- a Slurm with one node of four slots
mkdir -p "$work"/{munge,state,spool,log}
chmod 755 "$work"
chmod 700 "$work/munge"
head -c 1024 /dev/urandom > "$work/munge/key"
chmod 600 "$work/munge/key"
munged --foreground --force --key-file="$work/munge/key" --socket="$work/munge.socket" --pid-file="$work/munge/pid" \
  --log-file="$work/log/munge" --seed-file="$work/munge/seed" > "$work/log/munged" 2>&1 &
daemons+=($!)
cat > "$SLURM_CONF" << EOF
ClusterName=proof
SlurmctldHost=$host
SlurmUser=root
SlurmdUser=root
AuthType=auth/munge
AuthInfo=socket=$work/munge.socket
CredType=cred/munge
StateSaveLocation=$work/state
SlurmdSpoolDir=$work/spool
SlurmctldPidFile=$work/slurmctld.pid
SlurmdPidFile=$work/slurmd.pid
SlurmctldPort=16817
SlurmdPort=16818
ProctrackType=proctrack/pgid
TaskPlugin=task/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
SlurmdParameters=config_overrides
ReturnToService=2
JobCompType=jobcomp/none
AccountingStorageType=accounting_storage/none
NodeName=$host NodeAddr=127.0.0.1 CPUs=4 State=UNKNOWN
PartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP
EOF
slurmctld -D > "$work/log/slurmctld" 2>&1 &
daemons+=($!)
slurmd -D > "$work/log/slurmd" 2>&1 &
daemons+=($!)
for _ in $(seq 60); do
  [ "$(sinfo -h -o %t 2> /dev/null)" = idle ] && break
  sleep 0.5
done
echo "Slurm $(sinfo --version | cut -d' ' -f2): node $(sinfo -h -o '%n, %c slots, %t')"

# ---- the movie in one go
options="--format ffv1 --size 480x270 --quality draft --frames"
last=47
scene=$work/demo.ostage
"$bin"/open-stage-cli archive demo/lantern-quay.ostage -o "$work/demo.zip" > /dev/null
scene=$("$bin"/open-stage-cli unpack "$work/demo.zip" -o "$work/demo")
echo "[{\"edit\": \"settings\", \"frames\": $((last + 1))}]" > "$work/short.json"
"$bin"/open-stage-cli apply "$scene" "$work/short.json" -o "$scene"
"$bin"/open-stage-cli render "$scene" -o "$work/one.mkv" $options 0-$last --quiet
echo "One run: $((last + 1)) frames"

# ---- in eight parts
"$bin"/open-stage-cli plan "$scene" -o "$work/parts.mkv" --chunks 8 --slurm \
  --options "--format ffv1 --size 480x270 --quality draft" > "$work/submit.sh"
cd "$work"
read -r array join < <(bash submit.sh)
echo "Submitted: array $array, joining step $join"
# One task is killed while it renders.
for _ in $(seq 200); do
  victim=$(pgrep -f "frames-only --frames 0-5\$" | head -1 || true)
  [ -n "$victim" ] && [ "$(find . -path '*parts.mkv*' -name '*.png' | wc -l)" -ge 2 ] && break
  sleep 0.1
done
echo "Killed: $(tr '\0' ' ' < "/proc/$victim/cmdline" | grep -o 'frames-only.*'), process $victim"
kill -9 "$victim"
while squeue -h -j "$array" 2> /dev/null | grep -q .; do sleep 0.5; done
scontrol show job "${array}_0" | grep -o 'JobState=[A-Z]*' | head -1
squeue -h -j "$join" -o 'Joining step: %T, %r'
[ ! -e parts.mkv ] || { echo "A movie was joined without a part."; exit 1; }
kept=$(find . -path '*parts.mkv*' -name '*.png' | wc -l)
scancel "$join"
# The same script again: what is there is not rendered again.
read -r array join < <(bash submit.sh)
echo "Submitted again: array $array, joining step $join; $kept frames are there"
while squeue -h -j "$join" 2> /dev/null | grep -q .; do sleep 0.5; done
scontrol show job "$join" | grep -o 'JobState=[A-Z]*'

# ---- the same, frame by frame
for movie in one parts; do
  ffmpeg -v error -i "$movie.mkv" -f framemd5 - | grep -v '^#' | awk '{print $NF}' > "$movie.md5"
done
if cmp one.md5 parts.md5; then
  echo "Equal: $(wc -l < one.md5) frames, decoded, by their MD5"
else
  echo "The movies differ."
  exit 1
fi
