# Completion of open-stage-cli for bash.
_open_stage_cli() {
    local now=${COMP_WORDS[COMP_CWORD]} command=${COMP_WORDS[1]}
    COMPREPLY=()
    if ((COMP_CWORD == 1)); then
        mapfile -t COMPREPLY < <(compgen -W "$(open-stage-cli --help 2>/dev/null | awk '/^Subcommands:/{on=1;next} /^[^ ]/{on=0} on{print $1}')" -- "$now")
    elif [[ $now == -* ]]; then
        mapfile -t COMPREPLY < <(compgen -W "$(open-stage-cli "$command" --help 2>/dev/null | grep -oE -- '--[a-z-]+')" -- "$now")
    else
        compopt -o default
    fi
}
complete -F _open_stage_cli open-stage-cli
