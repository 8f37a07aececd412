namespace Bandejo.Core.Deployments;

/// <summary>The names of reasons, as they are kept and answered: lower case, parts set apart by hyphens.</summary>
public static class ReasonNames
{
    private static readonly string[] Names = [.. Enum.GetNames<ReasonCode>().Select(StateNames.Hyphenate)];
    private static readonly Dictionary<string, ReasonCode> Codes = Enum.GetValues<ReasonCode>().ToDictionary(Of, StringComparer.Ordinal);

    public static string Of(ReasonCode code) => Names[(int)code];

    /// <summary>The code of a name; null for another word.</summary>
    public static ReasonCode? Read(string name) => Codes.TryGetValue(name, out var code) ? code : null;
}
