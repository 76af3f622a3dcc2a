//! Completions for shells: those that the command line itself tells, with branches for `scout` and files in
//! conflict for `settle`, which git tells while one types.

use crate::commands::cli::Cli;
use clap::CommandFactory;
use clap_complete::{Shell, generate};

/// The script for a shell.
pub(crate) fn script(shell: Shell) -> Vec<u8> {
    let mut script = Vec::new();
    generate(shell, &mut Cli::command(), "armistice", &mut script);
    let more = match shell {
        Shell::Bash => BASH,
        Shell::Zsh => ZSH,
        Shell::Fish => FISH,
        _ => "",
    };
    script.extend_from_slice(more.as_bytes());
    script
}

const BASH: &str = r#"
_armistice_with_git() {
    local cur="${COMP_WORDS[COMP_CWORD]}" words=
    if [ "$COMP_CWORD" -gt 1 ] && [ "${cur#-}" = "$cur" ]; then
        case "${COMP_WORDS[1]}" in
            scout) words=$(git for-each-ref --format='%(refname:short)' refs/heads refs/remotes refs/tags 2>/dev/null) ;;
            settle) words=$(git diff --name-only --diff-filter=U --relative 2>/dev/null) ;;
        esac
    fi
    case "${COMP_WORDS[COMP_CWORD-1]}" in --*) words= ;; esac
    if [ -n "$words" ]; then
        local IFS=$'\n'
        COMPREPLY=($(compgen -W "$words" -- "$cur"))
    else
        _armistice "$@"
    fi
}
complete -F _armistice_with_git -o nosort -o bashdefault -o default armistice 2>/dev/null ||
    complete -F _armistice_with_git -o bashdefault -o default armistice
"#;

const ZSH: &str = r#"
_armistice_with_git() {
    local -a found
    if (( CURRENT > 2 )) && [[ ${words[CURRENT]} != -* && ${words[CURRENT-1]} != --* ]]; then
        case ${words[2]} in
            scout) found=(${(f)"$(git for-each-ref --format='%(refname:short)' refs/heads refs/remotes refs/tags 2>/dev/null)"}) ;;
            settle) found=(${(f)"$(git diff --name-only --diff-filter=U --relative 2>/dev/null)"}) ;;
        esac
    fi
    if (( $#found )); then compadd -a found; else _armistice "$@"; fi
}
if [ "$funcstack[1]" != "_armistice" ]; then compdef _armistice_with_git armistice; fi
"#;

const FISH: &str = r#"
complete -c armistice -n "__fish_seen_subcommand_from scout" -f -a "(git for-each-ref --format='%(refname:short)' refs/heads refs/remotes refs/tags 2>/dev/null)"
complete -c armistice -n "__fish_seen_subcommand_from settle" -f -a "(git diff --name-only --diff-filter=U --relative 2>/dev/null)"
"#;
