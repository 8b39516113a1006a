# Completion of velpin for bash. In ~/.bashrc:  eval "$(velpin completion bash)"
_velpin() {
    local line start words=() index
    # The words as they are typed: bash has taken them apart at every ':', '=' and '@'.
    line=${COMP_LINE:0:COMP_POINT}
    read -r -a words <<< "$line"
    [[ $line == *[[:space:]] ]] && words+=("")
    COMPREPLY=()
    while IFS=$'\t' read -r line start; do
        case $line in
            :files | :folders)
                compopt -o filenames
                [[ $line == :files ]] && start=-f || start=-d
                mapfile -t COMPREPLY < <(compgen "$start" -- "${COMP_WORDS[COMP_CWORD]}")
                return ;;
        esac
        printf -v line %q "$line"  # bash puts it on the line as it is, and may run it from there
        COMPREPLY+=("$line")
    done < <(VELPIN_COMPLETE=bash VELPIN_COMPLETE_BREAKS="${COMP_WORDBREAKS//[[:space:]\"\']/}" \
        "${words[@]}" 2> /dev/null)
}
complete -F _velpin velpin
