namespace Bandejo.System.Tests;

/// <summary>Whether everything is tried, and not what keeps the usual tests short (<c>make thorough</c>).</summary>
internal static class Thorough
{
    public static bool IsAsked { get; } = Environment.GetEnvironmentVariable("BANDEJO_THOROUGH") == "1";
}
