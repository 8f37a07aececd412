using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>A reusable list of waves with their gates.</summary>
public sealed record WavePlanInfo(string Slug, string Name, IReadOnlyList<WaveRequest> Waves, int Revision);

/// <summary>Keeps a list of waves. Without If-Match the plan must be new.</summary>
/// <param name="Name">For people; null takes the short name.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record WavePlanRequest(
    [property: Limits(Items = 100)] IReadOnlyList<WaveRequest> Waves, [property: Limits(Text = ApiLimits.MaxName)] string? Name = null);
