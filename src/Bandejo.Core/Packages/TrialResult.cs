namespace Bandejo.Core.Packages;

/// <summary>How a step of a trial ended.</summary>
public enum TrialState
{
    Passed,

    /// <summary>It held, and somebody should look at it.</summary>
    Warned,

    /// <summary>It was not meant to be tried here.</summary>
    LeftOut,

    Failed,
}

/// <summary>What a trial says of its package.</summary>
public static class TrialResult
{
    /// <summary>The step that must have held: without it nothing was tried.</summary>
    public const string Decisive = "install";

    /// <summary>Whether the trial passed: no step failed, and something was installed. In words for the package's history.</summary>
    public static (bool HasPassed, string InWords) Of(IReadOnlyList<(string Step, TrialState State, string Says)> steps)
    {
        foreach (var (step, _, says) in steps.Where(each => each.State == TrialState.Failed))
        {
            return (false, $"failed at '{step}': {says}");
        }

        var warnings = steps.Count(step => step.State == TrialState.Warned);
        return steps.Any(each => each.Step == Decisive && each.State is TrialState.Passed or TrialState.Warned)
            ? (true, warnings switch { 0 => "passed", 1 => "passed, with a warning", _ => $"passed, with {warnings} warnings" })
            : (false, "tried nothing: no variant is meant for that machine");
    }
}
