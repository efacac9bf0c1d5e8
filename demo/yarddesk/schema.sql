-- Yard Desk's own tables: what Skerrin Boatyards keep of their work.
create table yard (
  id int primary key, name text not null unique, region text not null check (region in ('North Shore', 'South Shore')),
  plan_x numeric(6,2) not null, plan_y numeric(6,2) not null
);
create table team (id int primary key, yard_id int not null references yard, name text not null);
create table staff (
  id int primary key, name text not null, email text not null unique,
  role text not null check (role in ('foreman', 'estimator', 'rigger', 'engineer', 'office', 'director')),
  yard_id int not null references yard, team_id int references team
);
create table customer (
  id int primary key, name text not null,
  kind text not null check (kind in ('private', 'charter', 'fishing', 'pilot service', 'sailing school')), home_port text not null
);
create table vessel (
  id int primary key, name text not null, kind text not null, length_m numeric(5,2) not null, built int not null,
  customer_id int not null references customer
);
create table berth (id int primary key, yard_id int not null references yard, code text not null, length_m numeric(5,2) not null);
create table supplier (id int primary key, name text not null);
create table enquiry (
  id int primary key, vessel_id int not null references vessel, yard_id int not null references yard,
  estimator_id int not null references staff, came_by text not null,
  stage text not null check (stage in ('asked', 'looked at', 'quoted', 'agreed', 'booked in', 'handed back', 'declined')),
  furthest_stage text not null, quoted_value numeric(12,2), expected_start date, opened_at timestamptz not null, decided_at timestamptz
);
create table yard_job (
  id int primary key, title text not null, yard_id int not null references yard, team_id int references team,
  vessel_id int not null references vessel, berth_id int references berth, supplier_id int references supplier, enquiry_id int references enquiry,
  kind text not null check (kind in ('seasonal care', 'mishap', 'survey finding', 'rework', 'fit-out')),
  part_group text not null, part text not null, urgency int not null check (urgency between 1 and 4),
  status text not null check (status in ('open', 'in hand', 'waiting for parts', 'handed back', 'withdrawn')),
  opened_at timestamptz not null, promised_on date, started_on date, handed_back_on date,
  crew_hours numeric(8,2), yard_cost numeric(12,2), parts_cost numeric(12,2), quoted_price numeric(12,2),
  days_late int generated always as (started_on - promised_on) stored, changed_at timestamptz not null default now()
);
create table invoice (
  id int primary key, number text not null unique, customer_id int not null references customer, yard_id int not null references yard,
  issued_on date not null, due_on date not null, paid_on date
);
create table invoice_line (
  id int primary key, invoice_id int not null references invoice, yard_job_id int,
  service_line text not null, service text not null, net numeric(12,2) not null, cost numeric(12,2) not null,
  margin numeric(12,2) generated always as (net - cost) stored
);
create table legacy_invoice (id int primary key, number text, issued text, amount_text text);
create table plan_month (
  yard_id int not null references yard, service_line text not null, month date not null, planned numeric(12,2) not null,
  primary key (yard_id, service_line, month)
);
create table hazard (
  id int primary key, title text not null, area text not null, yard_id int not null references yard,
  likelihood int not null check (likelihood between 1 and 5), severity int not null check (severity between 1 and 5),
  likelihood_after int not null check (likelihood_after between 1 and 5), severity_after int not null check (severity_after between 1 and 5),
  safeguards text not null check (safeguards in ('in place', 'in part', 'untested', 'missing')),
  owner_id int references staff, review_due date, status text not null check (status in ('open', 'watched', 'closed')), noted_at timestamptz not null
);
create table berth_stay (
  id int primary key, berth_id int not null references berth, vessel_id int not null references vessel,
  arrived_at timestamptz not null, departed_at timestamptz
);
create table sensor_note (id int primary key, yard_id int not null references yard, noted_at timestamptz not null, note jsonb not null);
