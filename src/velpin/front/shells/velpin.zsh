#compdef velpin
# Completion of velpin for zsh. In ~/.zshrc, after compinit:  eval "$(velpin completion zsh)"
_velpin() {
    local line word
    local -a found shown
    while IFS= read -r line; do
        word=${line%%$'\t'*}
        case $line in
            :files) _files; return ;;
            :folders) _files -/; return ;;
        esac
        found+=("$word")
        shown+=("${line/$'\t'/  }")
    done < <(VELPIN_COMPLETE=zsh "${(@Q)words[1,CURRENT-1]}" "${(Q)PREFIX}" 2> /dev/null)
    compadd -l -d shown -a found
}
(( $+functions[compdef] )) && compdef _velpin velpin
