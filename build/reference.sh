#!/usr/bin/env bash
# Writes the generated pages of docs/reference from the built programs and the schema.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bandejo=out/bandejo
page=docs/reference/command-line.md
export NO_COLOR=1

describe() {
    printf '\n%s `bandejo %s`\n\n```\n' "$1" "$2"
    # shellcheck disable=SC2086
    "$bandejo" $2 --help | sed -e 's/[[:space:]]*$//' | cat -s
    printf '```\n'
}
verbs_of() {
    # shellcheck disable=SC2086
    "$bandejo" $1 --help | sed -n '/^Commands:/,$p' | sed -nE 's/^  ([a-z-]+).*/\1/p'
}
{
    echo "# Command line"
    echo
    echo 'Generated from the program. Exit codes: 0 done, 1 the answer is no, 2 wrong use, 3 refused by the service, 4 not reachable. Data goes to standard output, messages to standard error. `--output json` and `csv` are for scripts.'
    for noun in $(verbs_of ""); do
        verbs=$(verbs_of "$noun")
        if [ -z "$verbs" ]; then describe "##" "$noun"; continue; fi
        printf '\n## %s\n' "$noun"
        for verb in $verbs; do
            inner=$(verbs_of "$noun $verb")
            if [ -z "$inner" ]; then describe "###" "$noun $verb"; fi
            for last in $inner; do describe "###" "$noun $verb $last"; done
        done
    done
} >"$page"

{
    echo "# Settings of the service"
    echo
    echo 'Generated from the program. Each stands as `--NAME VALUE` or as `BANDEJO_NAME` in the environment (upper case, hyphens as underscores); the command line wins. An unknown setting stops the start.'
    echo
    echo '```'
    out/bandejo-service --help | sed '1,2d'
    echo '```'
} >docs/reference/settings.md

node - <<'NODE' >docs/reference/manifest.md
const schema = JSON.parse(require('fs').readFileSync('docs/reference/package.schema.json', 'utf8'));
const table = (of) => {
  console.log('| key | must | meaning |\n|---|---|---|');
  for (const [key, value] of Object.entries(of.properties)) {
    const words = value.enum ?? value.additionalProperties?.enum;
    console.log(`| \`${key}\` | ${(of.required ?? []).includes(key) ? 'yes' : ''} | ${value.description ?? ''}${words ? ' One of: ' + words.map((word) => `\`${word}\``).join(', ') + '.' : ''} |`);
  }
};
console.log('# Manifest\n\n`package.yaml`, generated from [its JSON Schema](package.schema.json). A running service has the schema at `/api/v1/schemas/package`.\n');
table(schema);
for (const [name, title] of [['variant', 'A variant'], ['setting', 'A setting'], ['step', 'A step'], ['presence', 'A presence check'], ['need', 'A need'], ['handling', 'A handling'], ['companion', 'A companion'], ['removal', 'A removal']]) {
  console.log(`\n## ${title}\n`);
  table(schema.$defs[name]);
}
console.log('\n## Example\n\n```yaml');
console.log(require('fs').readFileSync('demo/packages/foldline-7.2.0/package.yaml', 'utf8').trim());
console.log('```');
NODE
