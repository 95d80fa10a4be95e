/** Scripts by shell: each asks `batharon completion --line …` what could complete the line. */
export const SCRIPTS = {
  bash: `# Completion of batharon for bash: eval "$(batharon completion bash)" in ~/.bashrc
_batharon_complete() {
  local line="\${COMP_LINE:0:$COMP_POINT}" current="\${COMP_WORDS[COMP_CWORD]}" word about
  # Bash parts words at : and =, so only what follows the last of them is put in.
  case "$current" in ':' | '=') current='' ;; esac
  local whole="\${line##*[[:space:]]}"
  local before="\${whole%"$current"}"
  COMPREPLY=()
  while IFS=$'\\t' read -r word about; do
    # What a file is called must not be carried out.
    printf -v word '%q' "\${word#"$before"}"
    COMPREPLY+=("$word")
  done < <(batharon completion --line "$line" 2>/dev/null)
  case "\${COMPREPLY[*]}" in *[:/=]) compopt -o nospace 2>/dev/null ;; esac
}
complete -o default -o bashdefault -F _batharon_complete batharon
`,
  zsh: `#compdef batharon
# Completion of batharon for zsh: eval "$(batharon completion zsh)" in ~/.zshrc, after compinit
_batharon() {
  local -a found
  local word about
  while IFS=$'\\t' read -r word about; do
    found+=("\${word//:/\\\\:}:\${about}")
  done < <(batharon completion --line "\${(j: :)\${(@q)words[1,CURRENT-1]}} $PREFIX" 2>/dev/null)
  if (( \${#found} )); then _describe batharon found; else _files; fi
}
compdef _batharon batharon
`,
  fish: `# Completion of batharon for fish: batharon completion fish | source in ~/.config/fish/config.fish
function __batharon_complete
    batharon completion --line (commandline --cut-at-cursor | string collect) 2>/dev/null
end
complete --command batharon --arguments '(__batharon_complete)'
`,
} as const;
export type Shell = keyof typeof SCRIPTS;
