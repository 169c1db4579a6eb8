# Completion of tanchor for bash. The tool itself knows what a word may become.
_tanchor() {
    local line=$COMP_LINE words=() part prefix= i
    for ((i = 0; i <= COMP_CWORD; ++i)); do # bash splits at '=', '@' and ':' too; blanks alone part our words
        part=${COMP_WORDS[i]}
        if ((i == 0)) || [[ $line == [[:space:]]* ]]; then
            words+=("$part")
            line=${line#"${line%%[![:space:]]*}"}
        else
            words[${#words[@]} - 1]+=$part
        fi
        line=${line#"$part"}
    done
    local last=${words[${#words[@]} - 1]} quote=
    case $last in
    [\'\"]*) # readline puts it back and closes it
        quote=${last:0:1} last=${last:1} part=${part#"$quote"}
        words[${#words[@]} - 1]=$last
        ;;
    esac
    case $part in
    [=:]) prefix=$last ;;
    *) prefix=${last%"$part"} ;;
    esac
    prefix=${prefix%@} # which readline takes for a part of the word
    COMPREPLY=()
    local word about
    while IFS=$'\t' read -r word about; do
        if [[ $word == :files ]]; then
            compopt -o filenames
            while read -r word; do COMPREPLY+=("$word"); done < <(compgen -f -- "$part")
        else
            [[ $word == *= ]] && compopt -o nospace
            word=${word#"$prefix"}
            [[ $quote ]] || printf -v word %q "$word"
            COMPREPLY+=("${word//\\=/=}")
        fi
    done < <("${words[0]}" complete -- "${words[@]:1}" 2>/dev/null)
}
complete -F _tanchor tanchor
