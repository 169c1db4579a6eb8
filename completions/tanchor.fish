# Completion of tanchor for fish. The tool itself knows what a word may become.
function __tanchor_complete
    set -l words (commandline -opc) (string trim --left --chars="'\"" -- (commandline -ct))
    for line in ($words[1] complete -- $words[2..-1] 2>/dev/null)
        if test "$line" = ":files"
            __fish_complete_path (commandline -ct)
        else
            echo $line
        end
    end
end
complete -c tanchor -f -a '(__tanchor_complete)'
