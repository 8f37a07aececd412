using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Device;

/// <summary>
/// What an attempt does around its steps: who must not be disturbed, what has to be gone, what is put beside the software and taken away with it.
/// </summary>
public sealed class Surroundings(IMachineFiles files, IMachineProcesses processes, IMachineUser user, IMachineFacts facts, IMachineCompanions companions)
{
    /// <summary>Why it must wait; null where nobody is in the way.</summary>
    public string? InTheWay(DocumentVariant variant) =>
        variant.Handling?.NobodySignedIn == true ? new StartWhen(StartWith.Nobody, false).InTheWay(false, user.IsSignedIn, null, default) : null;

    /// <summary>The builds that have to go before this one is installed, or with it, and that have a number among the variant's removals.</summary>
    /// <param name="moment"><c>install</c> or <c>remove</c>.</param>
    public static IEnumerable<(int Number, DocumentRemoval Removal)> Others(DocumentVariant variant, string moment) =>
        (variant.Removals ?? []).Select((removal, number) => (number, removal)).Where(each => each.removal.At == moment || each.removal.At == "both");

    /// <summary>Whether the device has what a removal is for.</summary>
    /// <param name="receipts">What we installed.</param>
    public Truth IsThere(DocumentRemoval removal, IEnumerable<Receipt> receipts)
    {
        var report = facts.Gather();
        var ours = receipts.ToDictionary(receipt => receipt.App, receipt => new ProgramReport(receipt.App, receipt.Version, "receipt"), StringComparer.Ordinal);
        return Rule.Parse(removal.When).Value.Test(new ReportedFacts(
            report with
            {
                Programs = report.Programs is null
                    ? null
                    : [.. ours.Values, .. report.Programs.Where(program => !ours.ContainsKey(FactCatalog.Slug(program.Name)))],
            }));
    }

    /// <summary>Of an app whose own proof is absent: whether another of its builds is there.</summary>
    public PresenceResult Weigh(PresenceResult absent, DocumentVariant variant, IReadOnlyCollection<Receipt> receipts)
    {
        foreach (var (_, removal) in Others(variant, "remove"))
        {
            var isThere = IsThere(removal, receipts);
            if (isThere != Truth.False)
            {
                return isThere == Truth.True
                    ? new PresenceResult(PresenceAnswer.Older, null, $"{removal.What} is there")
                    : new PresenceResult(PresenceAnswer.NotKnown, null, $"Nobody could tell whether {removal.What} is there");
            }
        }

        return absent;
    }

    /// <summary>The companions that are not in place.</summary>
    public IReadOnlyList<DocumentCompanion> Missing(PackageDocument document, DocumentVariant variant) =>
        [.. (variant.Companions ?? []).Where(companion => !companions.Holds(document.App, companion, DigestOf(variant, companion)))];

    /// <summary>Puts the companions of a variant in place, and takes away those of an earlier one that it does not have.</summary>
    public void Put(PackageDocument document, DocumentVariant variant, DocumentVariant? earlier = null)
    {
        var own = (variant.Companions ?? []).Select(Key).ToHashSet();
        foreach (var old in (earlier?.Companions ?? []).Where(companion => !own.Contains(Key(companion))))
        {
            companions.Take(document.App, old);
        }

        foreach (var companion in variant.Companions ?? [])
        {
            companions.Put(document.App, companion, DigestOf(variant, companion));
        }
    }

    /// <summary>After the software was taken away: its companions go, and what is to be reset.</summary>
    public void Clear(PackageDocument document, DocumentVariant variant)
    {
        foreach (var companion in variant.Companions ?? [])
        {
            companions.Take(document.App, companion);
        }

        foreach (var path in variant.Handling?.Reset ?? [])
        {
            files.Delete(path);
        }
    }

    /// <summary>Keeps what the installer wrote by itself with the attempt's log.</summary>
    public void KeepLog(string attempt, DocumentVariant variant)
    {
        if (variant.Handling?.Log is { } log)
        {
            processes.AddToLog(attempt, log);
        }
    }

    /// <summary>A companion for people.</summary>
    public static string InWords(DocumentCompanion companion) => companion.Kind switch
    {
        "certificate" => $"the certificate {companion.Subject}",
        "file" => $"the file {companion.To}",
        "setting" => $"the setting {companion.Key} in {companion.Subject}",
        _ => $"the opening of .{companion.Subject} files",
    };

    private static (string, string, string?) Key(DocumentCompanion companion) => (companion.Kind, companion.Subject, companion.To ?? companion.Key);

    private static string? DigestOf(DocumentVariant variant, DocumentCompanion companion) =>
        variant.Files.FirstOrDefault(file => companion.Kind != "opens" && file.Path == companion.Subject)?.Sha256;
}
