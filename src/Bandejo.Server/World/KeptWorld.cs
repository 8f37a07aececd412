using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Packages;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>Makes the world of what the store kept.</summary>
internal static class KeptWorld
{
    private static readonly Rule NotKnown = Rule.NotKnown(
        "", "the document of the package was kept by another version of Bandejo and cannot be read by this one");

    /// <summary>The world as it was kept: what the changes make of it that would bring it there.</summary>
    /// <param name="interval">The time between two check-ins of a device.</param>
    /// <param name="slice">For how many devices something is done in one go.</param>
    /// <param name="shelveAfter">How long nothing of what is over must have changed before it leaves memory; null for as it is set.</param>
    public static FleetWorld Read(StoredWorld kept, TimeSpan interval, DateTimeOffset now, int slice = 250, TimeSpan? shelveAfter = null)
    {
        var world = new FleetWorld(kept.WordBook, interval, ContentsOf) { Now = now, Slice = slice, ShelveAfter = shelveAfter ?? Core.Rollouts.Shelving.After };
        kept.ApplyTo(world, AskForms.WithPlan);

        // What was the word of devices that say others now, or are gone: no sheet that is kept needs it.
        world.ForgetWords();
        world.GoOn();
        return world;
    }

    /// <summary>What a package's document says; nothing is known of any device where this version cannot read it.</summary>
    public static PackageContents ContentsOf(PackageRecord record)
    {
        var document = DocumentOf(record);
        return new DocumentContents(document)
        {
            Name = document.Name,
            // What an earlier version of the program took and this one cannot read is not known, of every device.
            Variants = document.Variants.Count == 0
                ? [new VariantRules("unreadable", NotKnown, NotKnown)]
                : [.. document.Variants.Select(variant => new VariantRules(
                    variant.Name, Rule.OfKept(variant.Fits), Rule.OfKept(variant.Requires), variant.Remove is not null, variant.Change is not null)
                {
                    Takes = TimeSpan.FromSeconds(variant.Install.ExpectedSeconds), Longest = TimeSpan.FromSeconds(variant.Install.LimitSeconds),
                    Restart = Handling.Restarts.GetValueOrDefault(variant.Handling?.Restart ?? "", RestartRule.AsTold),
                    TakesAway = TimeSpan.FromSeconds(variant.Remove?.ExpectedSeconds ?? 0),
                })],
            Needs = Documents.NeedsOf(document),
            Settings = Documents.SettingsOf(document),
            Presets = document.Presets ?? new Dictionary<string, IReadOnlyDictionary<string, string>>(),
            Files = [.. Documents.FilesOf(document).Select(file => new PayloadFile(file.Path, file.Size, file.Sha256))],
        };
    }

    private static PackageDocument DocumentOf(PackageRecord record)
    {
        try
        {
            if (JsonSerializer.Deserialize(record.Document, ContractJson.Default.PackageDocument) is { } document)
            {
                return document;
            }
        }
        catch (JsonException)
        {
            // Kept by another version.
        }

        return new PackageDocument(1, record.App, record.App, record.Version, "", "", "", [], []);
    }
}
