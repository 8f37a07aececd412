using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;

namespace Bandejo.Device;

/// <summary>Puts the values of settings where a variant uses them.</summary>
public static class Filling
{
    private static readonly Dictionary<string, IReadOnlyDictionary<string, string>> NoPresets = [];

    private static readonly Dictionary<string, string> Nothing = [];

    /// <summary>What is written for each setting of a package.</summary>
    /// <param name="asked">Values that are not the defaults; null for none.</param>
    public static IReadOnlyDictionary<string, string> Written(PackageDocument document, IReadOnlyDictionary<string, string>? asked) =>
        Settings.Written(SettingsOf(document), asked ?? Nothing);

    /// <summary>The values that a trial asks for.</summary>
    public static Outcome<IReadOnlyDictionary<string, string>> Asked(TrialPlan plan) =>
        Settings.Resolve([.. SettingsOf(plan.Package.Document)], plan.Package.Document.Presets ?? NoPresets, plan.Preset, plan.Settings ?? Nothing);

    /// <summary>The variant with the values in the places of their settings.</summary>
    /// <param name="written">As <see cref="Written"/> gives it.</param>
    public static DocumentVariant Fill(DocumentVariant variant, IReadOnlyDictionary<string, string> written) => variant with
    {
        Install = Fill(variant.Install, written),
        Remove = variant.Remove is null ? null : Fill(variant.Remove, written),
        Change = variant.Change is null ? null : Fill(variant.Change, written),
        Repair = variant.Repair is null ? null : Fill(variant.Repair, written),
        Removals = variant.Removals?.Select(removal => removal with { Step = Fill(removal.Step, written) }).ToList(),
        Companions = variant.Companions?.Select(
            companion =>
                companion with
                {
                    To = companion.To is null ? null : Settings.Fill(companion.To, written)?.TrimStart('/'),
                    With = companion.With is null ? null : Settings.FillWords(companion.With, written),
                    Value = companion.Value is null ? null : Settings.Fill(companion.Value, written),
                })
            .ToList(),
        Launch = variant.Launch is null
            ? null
            : variant.Launch with { Run = Settings.FillWords(variant.Launch.Run, written), Environment = Fill(variant.Launch.Environment, written) },
        Present = [.. variant.Present.Select(check => check with
        {
            Subject = Settings.Fill(check.Subject, written)?.TrimStart('/') ?? "",
            Arguments = Settings.FillWords(check.Arguments, written),
            Key = check.Key is null ? null : Settings.Fill(check.Key, written),
            Expected = check.Expected is null ? null : Settings.Fill(check.Expected, written),
        })],
    };

    /// <summary>The secrets among what was written, so that they can be kept out of logs.</summary>
    public static IReadOnlyList<string> Secrets(PackageDocument document, IReadOnlyDictionary<string, string> written) =>
        [
            .. (document.Settings ?? []).Where(setting => setting.Type == "secret" && written.ContainsKey(setting.Name))
                .Select(setting => written[setting.Name]).Where(secret => secret.Length > 0)];

    /// <summary>
    /// What a proof comes to where settings matter: the right version with other settings than are asked for is <see cref="PresenceAnswer.Different"/>, if the
    /// package can change them. What somebody else installed has settings that nobody knows.
    /// </summary>
    public static PresenceResult Weigh(
        PresenceResult proof, DocumentVariant variant, Order order, IReadOnlyDictionary<string, string> written, Receipt? receipt)
    {
        if (proof.Answer is not (PresenceAnswer.Present or PresenceAnswer.Incomplete) || order.Kind != "install")
        {
            return proof;
        }

        var differ = receipt switch
        {
            null => order.Settings?.Keys ?? [],
            { Written: null } => order.Settings?.Keys ?? [],
            { Written: { } had } =>
                written.Where(pair => had.GetValueOrDefault(pair.Key) != pair.Value).Select(pair => pair.Key)
                    .Concat(had.Keys.Where(name => !written.ContainsKey(name))),
        };
        var names = string.Join(", ", differ.Order(StringComparer.Ordinal));
        return names.Length == 0 ? proof
            : variant.Change is null ? proof with { Why = $"{proof.Why}; it keeps its settings ({names}), since the package cannot change them" }
            : new PresenceResult(
                PresenceAnswer.Different, proof.Version,
                $"{proof.Why}, {(receipt is null ? "but nobody knows its settings" : "but with other settings")}: {names}");
    }

    private static IEnumerable<Setting> SettingsOf(PackageDocument document) => (document.Settings ?? []).Select(setting => new Setting
    {
        Name = setting.Name, Type = Setting.Types.GetValueOrDefault(setting.Type), Default = setting.Default, Choices = setting.Choices ?? [],
        Writes = setting.Writes ?? Nothing,
    });

    private static DocumentStep Fill(DocumentStep step, IReadOnlyDictionary<string, string> written) => step with
    {
        Run = Settings.FillWords(step.Run, written),
        Environment = Fill(step.Environment, written),
        Answers = step.Answers?.ToDictionary(pair => pair.Key, pair => Settings.FillLines(pair.Value, written)),
    };

    /// <summary>A variant as an order has it handled: what it says lies over what the package says.</summary>
    public static DocumentVariant Handle(DocumentVariant variant, OrderHandling? handling)
    {
        if (handling is null)
        {
            return variant;
        }

        var own = variant.Handling ?? new DocumentHandling(false, false, null, "as-told", null);
        return variant with
        {
            Close = [.. variant.Close.Concat(handling.Close ?? []).Distinct()],
            Handling = own with
            {
                NobodySignedIn = handling.NobodySignedIn ?? own.NobodySignedIn, LowPriority = handling.LowPriority ?? own.LowPriority,
                Restart = handling.Restart ?? own.Restart, Reset = handling.KeepsAll ? null : own.Reset,
            },
        };
    }

    /// <summary>What uses a setting without a value is left out.</summary>
    private static Dictionary<string, string>? Fill(IReadOnlyDictionary<string, string>? environment, IReadOnlyDictionary<string, string> written) =>
        environment?.Select(pair => (pair.Key, Value: Settings.Fill(pair.Value, written))).Where(pair => pair.Value is not null)
            .ToDictionary(pair => pair.Key, pair => pair.Value!);
}
