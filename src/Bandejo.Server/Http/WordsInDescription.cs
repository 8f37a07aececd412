using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;

namespace Bandejo.Server.Http;

/// <summary>Writes into the description of the API which words may stand where only some may, and what a number is held to.</summary>
internal static class WordsInDescription
{
    private static readonly string[] Waves = ["closed", "open", "soaking", "wants-approval", "passed"];

    /// <summary>The words of fields, by the type and the field's name.</summary>
    private static readonly Dictionary<(Type Type, string Field), IReadOnlyList<string>> Fields = new()
    {
        [(typeof(TargetInfo), nameof(TargetInfo.State))] = Names<TargetState>(),
        [(typeof(TargetInfo), nameof(TargetInfo.Wish))] = Names<Wish>(),
        [(typeof(TargetStepInfo), nameof(TargetStepInfo.State))] = Names<TargetState>(),
        [(typeof(TargetStepInfo), nameof(TargetStepInfo.From))] = Names<TargetState>(),
        [(typeof(DeploymentInfo), nameof(DeploymentInfo.Status))] = Names<DeploymentStatus>(),
        [(typeof(DeploymentInfo), nameof(DeploymentInfo.Wish))] = Names<Wish>(),
        [(typeof(DeploymentRequest), nameof(DeploymentRequest.Wish))] = Names<Wish>(),
        [(typeof(DeploymentPreview), nameof(DeploymentPreview.Wish))] = Names<Wish>(),
        [(typeof(WaveInfo), nameof(WaveInfo.State))] = Waves,
        [(typeof(ReasonInfo), nameof(ReasonInfo.Code))] = Names<ReasonCode>(),
        [(typeof(ActPreview), nameof(ActPreview.Act))] = [.. Names<DeploymentAct>(), "retry"],
        [(typeof(AttemptInfo), nameof(AttemptInfo.Outcome))] = [.. Attempts.Outcomes.Keys],
        [(typeof(PackageInfo), nameof(PackageInfo.State))] = Names<PackageState>(),
        [(typeof(FieldVersion), nameof(FieldVersion.Standing))] = Names<VersionStanding>(),
        [(typeof(TrendInfo), nameof(TrendInfo.Standings))] = Names<VersionStanding>(),
        [(typeof(GroupInfo), nameof(GroupInfo.Kind))] = ["listed", "rule"],
        [(typeof(TrialStepInfo), nameof(TrialStepInfo.State))] = Names<TrialState>(),
        [(typeof(DeviceTrialInfo), nameof(DeviceTrialInfo.State))] = ["waiting", "running", "ended"],
        [(typeof(SignInRequest), nameof(SignInRequest.Roles))] = Roles.All,
        [(typeof(SessionInfo), nameof(SessionInfo.Roles))] = Roles.All,
        [(typeof(AccountInfo), nameof(AccountInfo.Roles))] = Roles.All,
        [(typeof(AccountRequest), nameof(AccountRequest.Roles))] = Roles.All,
        [(typeof(AccountChange), nameof(AccountChange.Roles))] = Roles.All,
        [(typeof(Problem), nameof(Problem.Type))] = Problems.Types,
    };

    /// <summary>The words of parameters, by operation and name.</summary>
    private static readonly Dictionary<(string Operation, string Name), IReadOnlyList<string>> Parameters = new()
    {
        [("getCompliance", "by")] = ["fleet", "app", "group", "deployment"],
        [("listComplianceTargets", "only")] = ["late", "unmet", "unknown", "open"],
        [("listComplianceTargets", "format")] = ["json", "csv"],
        [("listDevices", "format")] = ["json", "csv"],
        [("listTargets", "format")] = ["json", "csv"],
        [("getTrend", "what")] = ["compliance", "fleet", "versions"],
        [("listJournal", "topic")] = [.. Compliance.JournalRoutes.Topics, "any"],
        [("listAudit", "topic")] = ["audit"],
    };

    public static Task Add(OpenApiSchema schema, OpenApiSchemaTransformerContext context, CancellationToken cancellation)
    {
        if (context.JsonPropertyInfo is { } property
            && Fields.Keys.FirstOrDefault(each => each.Type == property.DeclaringType && each.Field.Equals(property.Name, StringComparison.OrdinalIgnoreCase))
                is { Type: not null } known)
        {
            Put(schema.Items as OpenApiSchema ?? schema, Fields[known]);
        }

        return Task.CompletedTask;
    }

    /// <summary>Says what a parameter is held to.</summary>
    public static void Limit(string operation, string name, OpenApiSchema schema)
    {
        if (Parameters.TryGetValue((operation, name), out var words))
        {
            Put(schema, words);
        }

        if (name == "limit")
        {
            (schema.Minimum, schema.Maximum, schema.Default) = ("1", $"{ApiLimits.MaxPageSize}", ApiLimits.PageSize);
        }
        else if (name == "skip")
        {
            schema.Minimum = "0";
        }
        else if (name == "days")
        {
            (schema.Minimum, schema.Maximum) = ("1", "400");
        }
    }

    private static void Put(OpenApiSchema schema, IEnumerable<string> words)
    {
        schema.Enum = [.. words.Select(word => (JsonNode)word)];
        if (schema.Type is { } type && type.HasFlag(JsonSchemaType.Null))
        {
            schema.Enum.Add(null!);
        }
    }

    private static string[] Names<T>()
        where T : struct, Enum => [.. Enum.GetNames<T>().Select(StateNames.Hyphenate)];
}
