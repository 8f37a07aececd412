using System.IO.Enumeration;
using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;

namespace Bandejo.Device;

/// <summary>Carries out presence checks on the device.</summary>
public sealed class Prover(IMachineFiles files, IMachineProcesses processes, IMachineSettings settings, IMachineFacts facts, Surroundings surroundings)
{
    private const int MaxText = 64 * 1024;

    /// <summary>Is there where systemd runs as the service manager (sd_booted(3)).</summary>
    public const string ServiceManager = "run/systemd/system";

    private static readonly TimeSpan CommandLimit = TimeSpan.FromSeconds(20);

    /// <summary>What the checks of a variant say, and whether all is there that goes with it.</summary>
    /// <param name="receipt">Our receipt of the app, or null.</param>
    public async Task<PresenceResult> Prove(PackageDocument document, DocumentVariant variant, Receipt? receipt, CancellationToken cancellation)
    {
        var looks = new List<(PresenceCheck, Observation)>();
        foreach (var written in variant.Present)
        {
            var check = new PresenceCheck(KindOf(written.Kind), written.Subject, written.Arguments, written.Key, written.Expected, written.Pattern);
            looks.Add((check, await Look(check, receipt, cancellation)));
        }

        // Where there is nothing but companions, they are the proof; which version has put them there, the receipt alone knows.
        if (looks.Count == 0)
        {
            if (receipt is not null && receipt.Version != document.Version)
            {
                return Presence.Judge(document.Name, AppVersion.Parse(document.Version), [(
                    new PresenceCheck(PresenceKind.Receipt, "", [], null, null, null), new Observation(true, null, receipt.Version, null))]);
            }

            var companions = variant.Companions ?? [];
            var lacking = surroundings.Missing(document, variant);
            return lacking.Count == 0
                ? new PresenceResult(
                    PresenceAnswer.Present, document.Version,
                    $"{document.Name} {document.Version} proven by {string.Join(", ", companions.Select(Surroundings.InWords))}")
                : lacking.Count == companions.Count
                    ? new PresenceResult(
                        PresenceAnswer.Absent, null,
                        $"{Begin(string.Join(", ", lacking.Select(Surroundings.InWords)))} {(lacking.Count == 1 ? "is" : "are")} not in place")
                : new PresenceResult(
                    PresenceAnswer.Incomplete, document.Version,
                    $"{Begin(string.Join(", ", lacking.Select(Surroundings.InWords)))} {(lacking.Count == 1 ? "is" : "are")} not in place");
        }

        var proof = Presence.Judge(document.Name, AppVersion.Parse(document.Version), looks);
        return proof.Answer == PresenceAnswer.Present && surroundings.Missing(document, variant) is { Count: > 0 } missing
            ? proof with
            {
                Answer = PresenceAnswer.Incomplete,
                Why = $"{proof.Why}, but {string.Join(", ", missing.Select(Surroundings.InWords))} {(missing.Count == 1 ? "is" : "are")} not in place",
            }
            : proof;
    }

    /// <summary>What the checks of a variant say where the app is to be gone in every build.</summary>
    /// <param name="receipts">What we installed, by app.</param>
    public async Task<PresenceResult> ProveGone(
        PackageDocument document, DocumentVariant variant, IReadOnlyDictionary<string, Receipt> receipts, CancellationToken cancellation)
    {
        var proof = await Prove(document, variant, receipts.GetValueOrDefault(document.App), cancellation);
        return proof.Answer == PresenceAnswer.Absent ? surroundings.Weigh(proof, variant, [.. receipts.Values]) : proof;
    }

    /// <summary>The word for an answer, as it travels.</summary>
    public static string Word(PresenceAnswer answer) => answer switch
    {
        PresenceAnswer.NotKnown => "not-known",
        PresenceAnswer.Absent => "absent",
        PresenceAnswer.Older => "older",
        PresenceAnswer.Different => "different",
        PresenceAnswer.Incomplete => "incomplete",
        PresenceAnswer.Present => "present",
        _ => "newer",
    };

    private async Task<Observation> Look(PresenceCheck check, Receipt? receipt, CancellationToken cancellation)
    {
        try
        {
            switch (check.Kind)
            {
                case PresenceKind.File:
                    return !files.Exists(check.Subject)
                        ? Observation.NotThere
                        : new Observation(true, null, null, check.Expected is null ? null : files.Sha256(check.Subject));
                case PresenceKind.FileVersion:
                    return files.Read(check.Subject, MaxText) is { } content
                        ? new Observation(true, null, check.VersionIn(content), null)
                        : Observation.NotThere;
                case PresenceKind.Setting:
                    return settings.Read(check.Subject, check.Key!) is { } value ? new Observation(true, null, null, value) : Observation.NotThere;
                case PresenceKind.Command:
                    if (await processes.Ask([check.Subject, .. check.Arguments], CommandLimit, cancellation) is not { } answer)
                    {
                        return Observation.NotThere;
                    }

                    return answer.Code != 0 ? Observation.NotThere : new Observation(true, null, check.VersionIn(answer.Output), answer.Output.Trim());
                case PresenceKind.Product:
                    return settings.Product(check.Subject) is { } listed
                        ? new Observation(true, null, check.VersionIn(listed), null)
                        : Observation.NotThere;
                case PresenceKind.Registry:
                    return settings.Registry(check.Subject, check.Key) is { } kept
                        ? new Observation(true, null, check.TellsVersion ? check.VersionIn(kept) : null, kept)
                        : Observation.NotThere;
                case PresenceKind.BinaryVersion:
                    return files.VersionOf(check.Subject) is { } own ? new Observation(true, null, check.VersionIn(own), null) : Observation.NotThere;
                case PresenceKind.Service:
                    if (settings.Runs(check.Subject) is { } runs)
                    {
                        return runs ? new Observation(true, null, null, null) : Observation.NotThere;
                    }

                    if (!files.Exists(ServiceManager))
                    {
                        return Observation.CouldNotLook("no service manager runs here");
                    }

                    return await processes.Ask(["systemctl", "is-active", "--quiet", check.Subject], CommandLimit, cancellation) is { Code: 0 }
                        ? new Observation(true, null, null, null)
                        : Observation.NotThere;
                case PresenceKind.Receipt:
                    return receipt is null ? Observation.NotThere : new Observation(true, null, receipt.Version, null);
                default:
                    var programs = facts.Gather().Programs;
                    if (programs is null)
                    {
                        return Observation.CouldNotLook("the operating system's list of programs could not be read");
                    }

                    // Where a pattern holds for several, the earliest version decides, as it does among checks.
                    return programs.Where(program => program.Source == "system" && FileSystemName.MatchesSimpleExpression(check.Subject, program.Name))
                        .MinBy(program => AppVersion.TryParse(check.VersionIn(program.Version), out var version) ? version : null) is { } found
                        ? new Observation(true, null, check.VersionIn(found.Version), null)
                        : Observation.NotThere;
            }
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException or TimeoutException)
        {
            return Observation.CouldNotLook(error.Message);
        }
    }

    private static string Begin(string sentence) => char.ToUpperInvariant(sentence[0]) + sentence[1..];

    private static PresenceKind KindOf(string word) =>
        PresenceCheck.Kinds.TryGetValue(word, out var kind)
            ? kind
            : throw new PackageException($"The package asks for a presence check '{word}' that this agent does not know; update the agent.");
}
