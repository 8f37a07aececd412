using Microsoft.AspNetCore.StaticFiles;
using Microsoft.Extensions.FileProviders;

namespace Bandejo.Server.Http;

/// <summary>Serves the built console. Every address that is no file of it and no part of the API is a page of the console.</summary>
internal static class ConsoleFiles
{
    /// <summary>Styles are set by script where sizes are measured, so they may stand in attributes; script may come from our own files alone.</summary>
    private const string ContentPolicy = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
        + "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

    /// <param name="app">The service.</param>
    /// <param name="folder">Where the built console lies; where there is none, its addresses say how to build it.</param>
    public static void UseConsole(this WebApplication app, string folder)
    {
        var isBuilt = File.Exists(Path.Combine(folder, "index.html"));
        var types = new FileExtensionContentTypeProvider();
        var files = isBuilt ? new PhysicalFileProvider(folder) : null;
        app.Use(async (context, next) =>
        {
            var path = context.Request.Path.Value ?? "/";
            if ((!HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method)) || !IsOurs(path))
            {
                await next(context);
                return;
            }

            if (!isBuilt)
            {
                context.Response.ContentType = "text/plain; charset=utf-8";
                context.Response.StatusCode = 404;
                await context.Response.WriteAsync(
                    "The console is not built. Build it with 'make build', then start the service again.", context.RequestAborted);
                return;
            }

            var file = Find(files!, path);
            var isAsset = path.StartsWith("/assets/", StringComparison.Ordinal);

            // Below the first level, names of devices and packages stand in addresses, and may have dots.
            var isFile = isAsset || (Path.HasExtension(path) && path.LastIndexOf('/') == 0);
            if (file is null && isFile)
            {
                await Problems.Write(context, 404, "not-found", $"There is nothing at {path}.");
                return;
            }

            await Send(context, types, file ?? Path.Combine(folder, "index.html"), isAsset);
        });
    }

    private static bool IsOurs(string path) =>
        !path.StartsWith("/api/", StringComparison.Ordinal) && !path.StartsWith("/device/", StringComparison.Ordinal)
            && !path.StartsWith("/healthz/", StringComparison.Ordinal) && path is not ("/api" or "/metrics");

    /// <summary>The file of an address; null where there is none, or the address leads out of the folder.</summary>
    private static string? Find(PhysicalFileProvider files, string path)
    {
        var found = files.GetFileInfo(path);
        return found is { Exists: true, IsDirectory: false } ? found.PhysicalPath : null;
    }

    private static async Task Send(HttpContext context, FileExtensionContentTypeProvider types, string file, bool isAsset)
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = ContentPolicy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";

        // Assets carry a digest in their names; everything else is asked for again each time and mostly unchanged.
        headers.CacheControl = isAsset ? "public, max-age=31536000, immutable" : "no-cache";
        headers.Vary = "Accept-Encoding";
        context.Response.ContentType = types.TryGetContentType(file, out var type) ? type : "application/octet-stream";
        var sent = file;
        if (context.Request.Headers.AcceptEncoding.ToString().Contains("br", StringComparison.Ordinal) && File.Exists(file + ".br"))
        {
            headers.ContentEncoding = "br";
            sent = file + ".br";
        }

        var about = new FileInfo(sent);
        var tag = $"\"{about.LastWriteTimeUtc.Ticks:x}-{about.Length:x}\"";
        headers.ETag = tag;
        if (context.Request.Headers.IfNoneMatch.ToString() == tag)
        {
            context.Response.StatusCode = 304;
            return;
        }

        context.Response.ContentLength = about.Length;
        if (HttpMethods.IsGet(context.Request.Method))
        {
            await context.Response.SendFileAsync(sent, context.RequestAborted);
        }
    }
}
