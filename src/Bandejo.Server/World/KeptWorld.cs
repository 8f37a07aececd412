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
    private static readonly Rule NotKnown = Rule.NotKnown("", "the document of the package was kept by another version of Bandejo and cannot be read by this one");

    /// <summary>The world as it was kept: what the changes make of it that would bring it there.</summary>
    public static FleetWorld Read(StoredWorld kept, TimeSpan interval, DateTimeOffset now)
    {
        var world = new FleetWorld(kept.Words, interval, ContentsOf) { Now = now };
        All(kept.Settings, pair => new PutSetting(pair.Key, pair.Value));
        All(kept.Accounts, account => new PutAccount(account));
        All(kept.Tokens, token => new PutToken(token));
        All(kept.JoinCodes, code => new PutJoinCode(code));
        All(kept.Devices, device => new PutDevice(device));

        // What was the word of devices that say others now, or are gone; nothing has been made of it here, and no sheet that is kept needs it.
        kept.Words.KeepOnly(world.Devices.Values.Select(device => device.Record.Sheet));
        All(kept.Groups, group => new PutGroup(group));
        All(kept.Members.GetAwaiter().GetResult().Where(member => world.Groups.ContainsKey(member.Group) && world.Devices.Get(member.Device) is not null), member => new PutMember(member.Group, member.Device));
        All(kept.Packages, package => new PutPackage(package));
        All(kept.Deployments, deployment => new PutDeployment(AskForms.WithPlan(deployment, world.Packages[deployment.Package])));
        All(kept.Targets.GetAwaiter().GetResult().Where(each => world.Deployments.ContainsKey(each.Deployment) && world.Devices.Get(each.Target.Device) is not null), each => new PutTarget(each.Deployment, each.Target));
        All(kept.WavePlans, plan => new PutWavePlan(plan));
        All(kept.Handlings, handling => new PutHandling(handling));
        All(kept.DeviceTrials.Where(trial => world.Devices.Get(trial.Device) is not null), trial => new PutDeviceTrial(trial));
        All(kept.OpenAttempts, attempt => new PutAttempt(attempt));
        world.Resume(kept.LastEvent);
        world.WeighEverything();
        return world;

        void All<T>(IEnumerable<T> each, Func<T, Change> change)
        {
            foreach (var one in each)
            {
                world.Apply(change(one));
            }
        }
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
                : [.. document.Variants.Select(variant => new VariantRules(variant.Name, Rule.OfKept(variant.Fits), Rule.OfKept(variant.Requires), variant.Remove is not null, variant.Change is not null))],
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
