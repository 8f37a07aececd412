using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public sealed class NextVersionTests
{
    private static readonly Inspection Before = Inspect("foldline-7.2.0.msi", Samples.Database);

    private static readonly Inspection After = Before with
    {
        File = "foldline-7.3.0.msi",
        Told = [.. Before.Told.Select(
            told =>
                told.What switch
                {
                    Facts.Version => told with { Value = "7.3.0" }, Facts.ProductCode => told with { Value = "{11111111-2222-3333-4444-555555555555}" },
                    _ => told,
                })],
        Commands = [.. Before.Commands.Select(
            command =>
                command with
                {
                    Run = [.. command.Run.Select(word => word.Replace("foldline-7.2.0.msi", "foldline-7.3.0.msi").Replace(
                        "{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}", "{11111111-2222-3333-4444-555555555555}"))],
                })],
        Settings = [
            .. Before.Settings.Where(setting => setting.Name != "FOLDLINE_GONE")
                .Select(setting => setting.Name == "FOLDLINE_MODE" ? setting with { Default = "kiosk" } : setting),
            new InstallerSetting("FOLDLINE_NEW", "yes", false, "FOLDLINE_NEW={value}")],
    };

    [Fact]
    public void Every_choice_of_the_version_before_is_kept_and_what_belongs_to_the_version_follows()
    {
        var earlier = ManifestDraft.Write([Before]).Replace("{ name: foldline-mode,", "{ name: foldline-mode, default: kiosk,", StringComparison.Ordinal)
            .Replace("requires: disk.free >= 200 MB", "requires: disk.free >= 2 GB and memory >= 4 GiB", StringComparison.Ordinal)
                .Replace("limit: 30m", "limit: 12m", StringComparison.Ordinal);
        var manifest = ManifestReader.Read(NextVersion.Draft(earlier, Before, After)).Value;

        Assert.Equal("7.3.0", manifest.Version.Text);
        Assert.Equal(["foldline-7.3.0.msi", "files.cab"], manifest.Variants[0].Files);
        Assert.Equal(["msiexec", "/i", "foldline-7.3.0.msi", "/qn", "/norestart", "FOLDLINE_MODE=kiosk"], Settings.FillWords(
            manifest.Variants[0].Install.Run, Settings.Written(manifest.Settings, new Dictionary<string, string>())));
        Assert.Contains("{11111111-2222-3333-4444-555555555555}", manifest.Variants[0].Remove!.Run);
        Assert.Equal(TimeSpan.FromMinutes(12), manifest.Variants[0].Install.Limit);
        Assert.Equal(ManifestReader.Read(earlier).Value.Variants[0].Requires.ToString(), manifest.Variants[0].Requires.ToString());
    }

    [Fact]
    public void What_changed_is_listed_and_what_must_be_looked_at_again_says_why()
    {
        var changes = NextVersion.Changes(Before, After);

        Assert.Equal(["version", "product code", "setting FOLDLINE_GONE", "setting FOLDLINE_MODE", "setting FOLDLINE_NEW"], changes.Select(
            change => change.What));
        Assert.Equal(("desk", "kiosk", ""), (changes[3].Before, changes[3].After, changes[3].Look));
        Assert.Contains("does nothing any more", changes[2].Look);
        Assert.Equal("", changes[0].Look);
    }

    [Theory]
    [InlineData(Facts.Version, "7.1.0", "sorts below")]
    [InlineData(Facts.Version, "7.2.0", "It is the same version")]
    [InlineData(Facts.UpgradeCode, "{other}", "leaves the earlier version beside it")]
    [InlineData(Facts.Signer, "Somebody Else", "Somebody else signed it")]
    [InlineData(Facts.Publisher, "Somebody Else", "where it came from")]
    [InlineData(Facts.Architecture, "arm64", "'fits' was written for the one before")]
    [InlineData(Facts.Restart, "restarts in the middle of installing", "restarts in another way")]
    public void A_change_that_surprises_says_what_it_means(string what, string value, string look)
    {
        var odd = After with { Told = [.. After.Told.Where(told => told.What != what), new Told(what, value, Certainty.Certain, "test")] };

        Assert.Contains(NextVersion.Changes(Before, odd), change => change.What == what && change.Look.Contains(look, StringComparison.Ordinal));
    }

    [Fact]
    public void A_product_code_that_stayed_although_the_version_changed_is_said()
    {
        var same = After with
        {
            Told = [.. After.Told.Select(told => told.What == Facts.ProductCode ? told with { Value = Before.Of(Facts.ProductCode)!.Value } : told)],
        };

        Assert.Contains(NextVersion.Changes(Before, same), change => change.What == Facts.ProductCode && change.Look.Contains(
            "code 1638", StringComparison.Ordinal));
    }

    [Fact]
    public void The_predecessor_is_of_the_same_kind_and_architecture()
    {
        var arm = Before with
        {
            File = "foldline-7.2.0-arm64.msi", Told = [.. Before.Told.Select(told => told.What == Facts.Architecture ? told with { Value = "arm64" } : told)],
        };

        Assert.Equal("foldline-7.2.0.msi", NextVersion.Predecessor(After, [arm, Before, Inspect("circdesk.tar", Samples.All["circdesk.tar"])])!.File);
        Assert.Null(NextVersion.Predecessor(After, [Inspect("circdesk.tar", Samples.All["circdesk.tar"])]));
    }

    private static Inspection Inspect(string name, byte[] content) => Inspector.Inspect(new MemoryStream(content), name, HintCatalog.Own);
}
