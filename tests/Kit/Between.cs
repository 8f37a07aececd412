using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;

namespace Bandejo.Kit;

/// <summary>Stands between a program and the service and hands everything on; something may happen before a request goes on.</summary>
public sealed class Between : IAsyncDisposable
{
    private readonly WebApplication _app;
    private readonly HttpClient _service;

    private Between(string service, Func<string, string, Task> before)
    {
        _service = new HttpClient { BaseAddress = new Uri(service) };
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        _app = builder.Build();
        _app.Urls.Add("http://127.0.0.1:0");
        _app.Run(async context =>
        {
            await before(context.Request.Method, context.Request.Path);
            await HandOn(context);
        });
    }

    public string Address => _app.Urls.Single();

    /// <param name="before">Is told of each request, its method and path, and goes before it.</param>
    public static async Task<Between> Start(string service, Func<string, string, Task> before)
    {
        var between = new Between(service, before);
        await between._app.StartAsync();
        return between;
    }

    public async ValueTask DisposeAsync()
    {
        _service.Dispose();
        await _app.DisposeAsync();
    }

    private async Task HandOn(HttpContext context)
    {
        using var asked = new HttpRequestMessage(new HttpMethod(context.Request.Method), context.Request.Path + context.Request.QueryString);
        if (context.Request.ContentType is { } type)
        {
            asked.Content = new StreamContent(context.Request.Body);
            asked.Content.Headers.TryAddWithoutValidation("Content-Type", type);
        }

        foreach (var name in (string[])["Authorization", "If-Match"])
        {
            asked.Headers.TryAddWithoutValidation(name, context.Request.Headers[name].AsEnumerable());
        }

        using var answer = await _service.SendAsync(asked);
        context.Response.StatusCode = (int)answer.StatusCode;
        context.Response.ContentType = answer.Content.Headers.ContentType?.ToString();
        context.Response.Headers.ETag = answer.Headers.ETag?.ToString();
        await answer.Content.CopyToAsync(context.Response.Body);
    }
}
