# Completion of velpin for fish. In ~/.config/fish/config.fish:  velpin completion fish | source
function __velpin
    set -l words (commandline -opc) (commandline -ct)
    set -l found (VELPIN_COMPLETE=fish $words 2> /dev/null)
    if string match -q ':*' -- "$found[1]"
        __fish_complete_path (commandline -ct)
    else
        printf '%s\n' $found
    end
end
complete -c velpin -f -a '(__velpin)'
