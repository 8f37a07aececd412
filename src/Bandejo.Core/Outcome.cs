namespace Bandejo.Core;

/// <summary>Why something asked for was not done. Every kind maps to exactly one answer on the network.</summary>
public enum ErrorKind
{
    /// <summary>What was sent cannot be understood or breaks a rule of its own form.</summary>
    Invalid,

    /// <summary>The thing named does not exist.</summary>
    NotFound,

    /// <summary>It exists, but in a state in which this cannot be done, or its content differs from what is there.</summary>
    Conflict,

    /// <summary>It was changed by somebody else since it was read.</summary>
    Stale,

    /// <summary>Who asks is known and may not do this.</summary>
    Forbidden,

    /// <summary>Who asks is not known, or the proof of it does not hold.</summary>
    Unauthenticated,

    /// <summary>A limit of size, number or rate was passed.</summary>
    TooMuch,

    /// <summary>It was there and is gone for good (expired, used up, withdrawn).</summary>
    Gone,
}

/// <summary>One thing that is wrong: what, where, and what would be right.</summary>
/// <param name="Message">What is wrong and what would be right, one or two sentences.</param>
/// <param name="Where">A field path, file name or other place; null where there is none to name.</param>
/// <param name="Line">1-based line in the text that was sent, 0 where it has none.</param>
/// <param name="Column">1-based column, 0 where it has none.</param>
/// <param name="Length">Number of characters to underline, at least 1 where there is a column.</param>
public sealed record Finding(string Message, string? Where = null, int Line = 0, int Column = 0, int Length = 1)
{
    /// <summary>A finding that does not stop anything, but that a person should read.</summary>
    public bool IsWarning { get; init; }
}

/// <summary>An expected failure: its kind and what to tell the person.</summary>
public sealed record Failure(ErrorKind Kind, string Message, IReadOnlyList<Finding> Findings)
{
    /// <summary>A failure without single findings.</summary>
    public Failure(ErrorKind kind, string message) : this(kind, message, [])
    {
    }

    /// <summary>Of a check-in that was refused as stale: the number that was taken last, from which the device goes on.</summary>
    public long? Taken { get; init; }
}

/// <summary>A value, or the failure that took its place.</summary>
public readonly record struct Outcome<T>
{
    private readonly T? _value;

    private Outcome(T? value, Failure? failure)
    {
        _value = value;
        Failure = failure;
    }

    /// <summary>What went wrong; null on success.</summary>
    public Failure? Failure { get; }

    /// <summary>True where there is a value.</summary>
    public bool Ok => Failure is null;

    /// <summary>The value. Asking for it after a failure is a bug and throws.</summary>
    public T Value => Failure is null ? _value! : throw new InvalidOperationException(Failure.Message);

    public static implicit operator Outcome<T>(T value) => new(value, null);

    public static implicit operator Outcome<T>(Failure failure) => new(default, failure);
}

/// <summary>Makes outcomes of what the language does not turn into one by itself.</summary>
public static class Outcome
{
    /// <summary>The outcome with a value; for values known by an interface, which no conversion takes.</summary>
    public static Outcome<T> Of<T>(T value) => value;
}
