CREATE TABLE "operation_calls" (
	"resolution" text NOT NULL,
	"span" timestamp with time zone NOT NULL,
	"operation" integer NOT NULL,
	"gateway" text NOT NULL,
	"calls" bigint NOT NULL,
	CONSTRAINT "operation_calls_resolution_span_operation_gateway_pk" PRIMARY KEY("resolution","span","operation","gateway"),
	CONSTRAINT "operation_calls_resolution" CHECK ("operation_calls"."resolution" in ('minute', 'hour', 'day'))
);--> statement-breakpoint
INSERT INTO "operation_calls" (resolution, span, operation, gateway, calls)
SELECT resolution, span, operation, '', sum(calls) FROM "traffic"
WHERE grain = 'operation' AND resolution <> 'minute' GROUP BY resolution, span, operation;
