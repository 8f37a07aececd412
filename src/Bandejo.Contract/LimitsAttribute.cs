namespace Bandejo.Contract;

/// <summary>How much one part of a message may hold. Parts without it hold what <see cref="MessageForm"/> says.</summary>
[AttributeUsage(AttributeTargets.Property)]
public sealed class LimitsAttribute : Attribute
{
    /// <summary>The most entries of a list or map; 0 for the usual.</summary>
    public int Items { get; init; }

    /// <summary>The longest text, or text in a list or map, in characters; 0 for the usual.</summary>
    public int Text { get; init; }
}
