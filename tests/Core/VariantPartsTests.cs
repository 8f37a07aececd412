using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>What stands around the steps of a manifest: needs, handlings, companions, removals, repair.</summary>
public sealed class VariantPartsTests
{
    private const string Whole = """
        app: foldline
        name: Foldline
        version: "7.2.0"
        needs:
          - app: spark-runtime
            at-least: "3.1"
          - app: county-fonts
        handlings:
          quietly:
            before: { close: [foldline], signed-in: nobody }
            during: { priority: low, log: /var/log/foldline/install.log }
            after: { restart: always, reset: [/var/lib/foldline] }
        variants:
          - name: desks
            files: [install.sh]
            handling: quietly
            install: { run: [sh, install.sh] }
            repair: { run: [sh, install.sh, repair] }
            companions:
              - certificate: county.pem
              - file: licence.txt
                to: /opt/foldline/licence.txt
              - opens: .Fold
                with: [/opt/foldline/foldline, --open]
                says: Foldline sheet
            removals:
              - what: Inkpress
                when: app "inkpress" is present
                at: install
                run: [sh, install.sh, no-inkpress]
                exit-codes: { 4: busy }
              - what: Foldline 6 and before
                when: app "foldline" < 7
                run: [sh, install.sh, no-foldline-6]
            present:
              - product: "{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}"
        """;

    private static readonly PayloadFile[] Files = [new("install.sh", 10, ""), new("county.pem", 10, ""), new("licence.txt", 10, "")];

    [Fact]
    public void A_manifest_says_all_that_stands_around_its_steps()
    {
        var manifest = ManifestReader.Read(Whole).Value;
        var variant = Assert.Single(manifest.Variants);

        Assert.Equal(["spark-runtime 3.1 or newer", "county-fonts"], manifest.Needs.Select(need => need.ToString()));
        Assert.Equal((true, true, "var/log/foldline/install.log", RestartRule.Always), (
            variant.Handling.NobodySignedIn, variant.Handling.LowPriority, variant.Handling.Log, variant.Handling.Restart));
        Assert.Equal(["foldline"], variant.Handling.Close);
        Assert.Equal(["var/lib/foldline"], variant.Handling.Reset);
        Assert.Equal(["sh", "install.sh", "repair"], variant.Repair!.Run);
        Assert.Equal(
            [(CompanionKind.Certificate, "county.pem", null), (CompanionKind.File, "licence.txt", "opt/foldline/licence.txt"), (
                CompanionKind.Opens, "fold", null)],
            variant.Companions.Select(each => (each.Kind, each.Subject, each.To)));
        Assert.Equal([("Inkpress", RemovalMoment.Install), ("Foldline 6 and before", RemovalMoment.Remove)], variant.Removals.Select(each => (
            each.What, each.At)));
        Assert.Equal(ExitMeaning.Busy, variant.Removals[0].Step.Codes[4]);
        Assert.Equal((PresenceKind.Product, true), (variant.Present[0].Kind, variant.Present[0].TellsVersion));
        Assert.DoesNotContain(ManifestCheck.Check(manifest, Files), finding => !finding.IsWarning);
        Assert.Equal(["county.pem", "install.sh", "licence.txt"], ManifestCheck.FilesOf(variant, Files).Select(file => file.Path));
    }

    [Theory]
    [InlineData("app: spark-runtime", "app: Spark Runtime", "'Spark Runtime' must be lower-case")]
    [InlineData("app: spark-runtime", "app: foldline", "does not need its own app")]
    [InlineData("app: county-fonts", "app: spark-runtime", "'spark-runtime' is needed twice")]
    [InlineData("at-least: \"3.1\"", "at-least: \"--\"", "'--' is not a version")]
    [InlineData("handling: quietly", "handling: quietely", "Did you mean 'quietly'?")]
    [InlineData("signed-in: nobody", "signed-in: someone", "'signed-in' is one of: anybody, nobody; not 'someone'")]
    [InlineData("priority: low", "pririty: low", "Did you mean 'priority'?")]
    [InlineData("log: /var/log/foldline/install.log", "log: /var/../etc/shadow", "climbs out")]
    [InlineData("reset: [/var/lib/foldline]", "reset: [/var/lib]", "at least three parts deep")]
    [InlineData("reset: [/var/lib/foldline]", "reset: [/var/lib/../..]", "at least three parts deep")]
    [InlineData("certificate: county.pem", "certificate: ../county.pem", "climbs out")]
    [InlineData("certificate: county.pem", "certificate: county.pem\n        to: /etc/x", "'to' means nothing for 'certificate'")]
    [InlineData("certificate: county.pem", "certificate: county.pem\n        file: county.pem", "exactly one of: certificate, file, opens")]
    [InlineData("to: /opt/foldline/licence.txt", "says: x", "'to' is where the file belongs")]
    [InlineData("        with: [/opt/foldline/foldline, --open]\n", "", "'with' needs the command")]
    [InlineData("opens: .Fold", "opens: 'fo ld'", "is the ending of files")]
    [InlineData("when: app \"inkpress\" is present", "at-limit: end", "'when' is missing")]
    [InlineData("at: install", "at: once", "'at' is one of: remove, install, both")]
    [InlineData("run: [sh, install.sh, no-inkpress]", "limit: 3m", "'run' needs a command")]
    [InlineData("{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}", "1F0C7D2A", "is no product code")]
    public void What_is_wrong_is_said_at_its_place(string what, string with, string says)
    {
        var read = ManifestReader.Read(Whole.Replace(what, with, StringComparison.Ordinal));

        Assert.False(read.Ok);
        var findings = read.Failure!.Findings.Count == 0 ? [new Finding(read.Failure.Message)] : read.Failure.Findings;
        Assert.Contains(findings, finding => finding.Message.Contains(says, StringComparison.Ordinal) && finding.Line > 0);
    }

    [Fact]
    public void A_companion_that_is_not_in_the_folder_and_a_removal_that_asks_nothing_are_found()
    {
        var manifest = ManifestReader.Read(Whole.Replace("when: app \"inkpress\" is present", "when: yes", StringComparison.Ordinal)).Value;
        var findings = ManifestCheck.Check(manifest, [Files[0], Files[2]]);

        Assert.Contains(findings, finding => finding.Message.StartsWith("There is no file 'county.pem'", StringComparison.Ordinal));
        Assert.Contains(findings, finding => finding is { Where: "variants[0].removals[0].when", IsWarning: false });
    }

    [Theory]
    [InlineData("3.1", "3.1", Truth.True)]
    [InlineData("3.1", "10.0", Truth.True)]
    [InlineData("3.1", "3.0.9", Truth.False)]
    [InlineData(null, "0.1", Truth.True)]
    [InlineData("3.1", "", Truth.False)]
    [InlineData("3.1", null, Truth.NotKnown)]
    public void A_need_is_met_by_its_version_or_a_newer_one_and_silence_is_not_known(string? least, string? installed, Truth met)
    {
        var lookup = installed switch
        {
            null => FactLookup.NotKnown, "" => FactLookup.Absent, _ => FactLookup.Of(FactValue.OfVersion(AppVersion.Parse(installed))),
        };

        Assert.Equal(met, new Need("spark-runtime", least is null ? null : AppVersion.Parse(least)).IsMet(lookup));
    }
}
