_emvo() {
    local IFS=$'\n' at
    COMPREPLY=($(
        VARIABLE=bash EMVO_COMPLETE_INDEX="$COMP_CWORD" PROGRAM -- "${COMP_WORDS[@]}" 2> /dev/null
    ))
    # What the shell would take apart or obey is given as it has to be typed.
    for at in "${!COMPREPLY[@]}"; do
        if [[ "${COMPREPLY[at]}" == *[[:space:]\'\"\(\)\;\&\|\<\>\$\`\\]* ]]; then
            printf -v "COMPREPLY[at]" '%q' "${COMPREPLY[at]}"
        fi
    done
    # A field wants its value behind the sign, a folder what is in it.
    if [[ "${COMPREPLY[0]-}" =~ [=/:]$ ]]; then
        compopt -o nospace
    fi
}
complete -o bashdefault -o default -F _emvo emvo
