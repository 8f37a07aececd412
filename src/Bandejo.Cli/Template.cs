namespace Bandejo.Cli;

/// <summary>What a new package folder holds.</summary>
internal static class Template
{
    public const string Install = """
        #!/bin/sh
        # Runs as the system account, without a user and without a terminal, in the folder of the payload.
        # $BANDEJO_ROOT is the machine's root. What is printed goes into the log of the attempt.
        set -e
        mkdir -p "$BANDEJO_ROOT/opt/$BANDEJO_APP"
        echo "$BANDEJO_VERSION" > "$BANDEJO_ROOT/opt/$BANDEJO_APP/VERSION"

        """;

    public const string Remove = """
        #!/bin/sh
        set -e
        rm -rf "$BANDEJO_ROOT/opt/$BANDEJO_APP"

        """;

    public static string Manifest(string name)
    {
        var slug = string.Join('-', name.ToLowerInvariant().Split([' ', '_', '.'], StringSplitOptions.RemoveEmptyEntries));
        return $$"""
            # What this package is. All keys: docs/reference/manifest.md
            app: {{slug}}
            name: {{name}}
            version: 1.0.0
            publisher: ""
            summary: ""

            variants:
              - name: linux
                fits: architecture is "x64"
                requires: disk.free >= 500 MB
                files: [install.sh, remove.sh]
                install:
                  run: [sh, install.sh]
                  limit: 10m
                remove:
                  run: [sh, remove.sh]
                present:
                  - version-in: opt/{{slug}}/VERSION

            """;
    }
}
