using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;

namespace Bandejo.Core;

/// <summary>The names of states as they stand in answers, in what is kept and in sentences: lower case, parts set apart by hyphens.</summary>
public static class StateNames
{
    private static readonly string[] TargetStates = [.. Enum.GetNames<TargetState>().Select(Hyphenate)];

    public static string Of(TargetState state) => TargetStates[(int)state];

    public static string Of(DeploymentStatus status) => Hyphenate(status.ToString());

    public static string Of(Wish wish) => Hyphenate(wish.ToString());

    public static string Of(PackageState state) => Hyphenate(state.ToString());

    public static string Of(TrialState state) => Hyphenate(state.ToString());

    public static string Of(VersionStanding standing) => Hyphenate(standing.ToString());

    public static string Of(PresenceAnswer answer) => Hyphenate(answer.ToString());

    /// <summary>The state a word stands for; null for another word.</summary>
    public static TargetState? TargetState(string word) => Array.IndexOf(TargetStates, word) is var at and >= 0 ? (TargetState)at : null;

    /// <summary>The value that a word names, as <see cref="Hyphenate"/> writes them; null for another word.</summary>
    public static T? Read<T>(string? word)
        where T : struct, Enum
    {
        var at = Array.FindIndex(Enum.GetNames<T>(), name => Hyphenate(name) == word);
        return at < 0 ? null : Enum.GetValues<T>()[at];
    }

    /// <summary><c>NotNeeded</c> → <c>not-needed</c>.</summary>
    public static string Hyphenate(string name) =>
        string.Concat(name.Select((c, i) => char.IsUpper(c) ? (i > 0 ? "-" : "") + char.ToLowerInvariant(c) : c.ToString()));
}
